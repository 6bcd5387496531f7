"""The commands of the I++ server that concern the machine: moves, touches, scans, tools, coordinates, properties.

Each is a method ``on_NAME`` that takes the call and returns lines of values, or nothing.
"""

from collections.abc import Callable

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.probing.assembly import HeadPose
from truegauge.devices.cmm_sim import frames as csy
from truegauge.devices.cmm_sim.frames import Frames
from truegauge.devices.cmm_sim.properties import Properties, Tool, tool_in_use, tool_named
from truegauge.devices.cmm_sim.rack import change
from truegauge.devices.cmm_sim.scanning import HINTS, KNOWN, SCANS, Contour, follow, scan_path
from truegauge.devices.cmm_sim.words import MachineStopped, SensorTouch
from truegauge.devices.cmm_sim.world import CmmWorld
from truegauge.devices.ipp import messages as m
from truegauge.devices.ipp.messages import Call, ProtocolError, Value, Word, call, place_calls

MOVES = ("GoTo", "PtMeas", "ChangeTool", "AlignTool", "Home", *SCANS)
Answer = list[tuple[Value, ...]] | None
_AXES = ("X", "Y", "Z", "Tool.A", "Tool.B")
_TOUCH_FIELDS = ("X", "Y", "Z", "IJK", "Tool.A", "Tool.B", "Q", "ER")


def named(given: Call) -> dict[str, tuple[float, ...]]:
    """Return the numbers of each argument by its name (ProtocolError: something else stands there)."""
    found = {}
    for a in given.args:
        if not isinstance(a, Call) or not a.args:
            raise ProtocolError("arguments are written as X(10)")
        found[a.name] = a.numbers()
    return found


def touch_values(touch: SensorTouch) -> tuple[Value, ...]:
    """Return a touch as data: the place, and the direction out of the surface as it was approached."""
    x, y, z = (float(v) for v in touch.place)
    i, j, k = (float(-v) for v in touch.approach)
    return (*place_calls((x, y, z)), call("IJK", i, j, k))


def _names(given: Call) -> list[str]:
    return [a.name if isinstance(a, Call) else str(a) for a in given.args]


def _one_name(given: Call) -> str:
    names = _names(given)
    if len(names) > 1:
        raise ProtocolError(f"{given.name} has one argument")
    return names[0] if names else ""


def _text(given: Call) -> str:
    if len(given.args) != 1 or not isinstance(given.args[0], str) or not given.args[0]:
        raise ProtocolError(f"{given.name} has a name in quotation marks")
    return given.args[0]


class Commands:
    """What a session can ask of the machine. `tell` sends a line of data of what goes on."""

    def __init__(self, world: CmmWorld) -> None:
        self.world, self.frames = world, Frames()
        self.tell: Callable[[tuple[Value, ...]], None] = lambda values: None
        self._found: Tool | None = None
        self.properties = Properties(world, lambda: self._found)
        self._touch_fields: tuple[str, ...] = ("X", "Y", "Z", "IJK")
        self._scan_fields: tuple[str, ...] = ("X", "Y", "Z", "IJK")

    # Where it is --------------------------------------------------------------------------------------------------

    def state_values(self) -> tuple[Value, ...]:
        """Return where the tip in use is, and the pose of the head."""
        pose = self.world.probe.pose if self.world.probe else HeadPose()
        x, y, z = (float(v) for v in self.frames.place_out(self.world.place()))
        return (*place_calls((x, y, z)), call("Tool.A", pose.tilt_deg), call("Tool.B", pose.turn_deg))

    def touched(self, touch: SensorTouch, fields: tuple[str, ...]) -> tuple[Value, ...]:
        """Return the fields of a touch that are reported, in the coordinates in use."""
        own = SensorTouch(self.frames.place_out(touch.place), self.frames.direction_out(touch.approach))
        every = {v.name: v for v in (*touch_values(own), *self.state_values()[3:]) if isinstance(v, Call)}
        every |= {"Q": call("Q", 0), "ER": call("ER", 0)}
        return tuple(every[n] for n in fields)

    def on_Get(self, given: Call) -> Answer:
        """Say where it is."""
        known = {v.name: v for v in self.state_values() if isinstance(v, Call)}
        tool = tool_in_use(self.world)
        known["Tool.Id"] = known["Tool"] = Call("Tool.Id", ("" if tool is None else tool.name,))
        names = _names(given)
        missing = [n for n in names if n not in known]
        if missing:
            raise MachineStopped(m.NO_AXIS, f"{', '.join(missing)[:60]} is no axis", 0)
        if not names:
            raise MachineStopped(m.ARGUMENT, "nothing is asked for", 0)
        return [tuple(known[n] for n in names)]

    # Moving and touching --------------------------------------------------------------------------------------------

    def on_Home(self, given: Call) -> None:
        """Find the scales' marks."""
        self.world.home()

    def on_IsHomed(self, given: Call) -> Answer:
        """Say whether it knows where it is."""
        return [(call("IsHomed", float(self.world.homed)),)]

    def on_GoTo(self, given: Call) -> None:
        """Go to a place, turn the head, or both."""
        values = named(given)
        strange = [n for n in values if n not in _AXES]
        if strange or not values:
            raise MachineStopped(m.NO_AXIS, f"{', '.join(strange)[:60] or 'nothing'} is no axis", 0)
        place = self.frames.place_out(self.world.place())
        for k, name in enumerate("XYZ"):
            if name in values:
                place[k] = values[name][0]
        pose = None
        if "Tool.A" in values or "Tool.B" in values:
            now = self.world.probe.pose if self.world.probe else HeadPose()
            pose = HeadPose(
                tilt_deg=values.get("Tool.A", (now.tilt_deg,))[0], turn_deg=values.get("Tool.B", (now.turn_deg,))[0]
            )
            if not set(values) & {"X", "Y", "Z"}:  # only the head turns; the quill stays
                self.world.go_to_pose(pose)
                return
        self.world.go_to(self.frames.place_in(place), pose)

    def on_PtMeas(self, given: Call) -> Answer:
        """Touch a place."""
        values = named(given)
        if not {"X", "Y", "Z"} <= set(values):
            raise MachineStopped(m.ARGUMENT, "X, Y and Z are needed", 0)
        target = self.frames.place_in(np.array([values[n][0] for n in "XYZ"]))
        # Without a direction it comes straight from where it stands.
        out = self.frames.direction_in(_three(values["IJK"])) if "IJK" in values else self.world.place() - target
        length = float(np.linalg.norm(out))
        if not length > 1e-6:
            raise MachineStopped(m.NO_NORM, "the direction has no length", 0)
        return [self.touched(self.world.measure(target, out / length), self._touch_fields)]

    def on_OnPtMeasReport(self, given: Call) -> None:
        """Choose what is said of a touch."""
        self._touch_fields = _fields(given)

    def on_OnScanReport(self, given: Call) -> None:
        """Choose what is said of each point of a scan."""
        self._scan_fields = _fields(given)

    def hint(self, given: Call) -> None:
        """Take a hint to what a scan will meet; the stand-in needs none."""
        if len(given.numbers()) != HINTS[given.name]:
            raise ProtocolError(f"{given.name} has {HINTS[given.name]} numbers")

    def scan(self, given: Call) -> None:
        """Lead the stylus over a surface, and tell every point."""
        world, frames = self.world, self.frames
        world.ready()
        radius = world.true_tip().radius
        if given.name in KNOWN:
            for target, normal in scan_path(given):
                touch = world.measure_along(frames.place_in(target), frames.direction_in(normal))
                self.tell(self.touched(touch, self._scan_fields))
        else:
            contour = Contour.read(given)

            def feel(target: Vector, normal: Vector) -> tuple[Vector, Vector]:
                near = max(0.3, 0.5 * contour.step)
                out = frames.direction_in(normal)
                touch = world.measure_along(frames.place_in(target), out, near, own_normal=True)
                self.tell(self.touched(touch, self._scan_fields))
                found = -touch.approach
                return frames.place_out(touch.place - radius * found), frames.direction_out(found)

            for _ in follow(contour, feel):
                pass
        world.leave_surface()

    # Tools --------------------------------------------------------------------------------------------------------

    def on_EnumTools(self, given: Call) -> Answer:
        """Name every tool."""
        return [(call("Tool", f"{a.name}:{s.id}"),) for a in self.world.assemblies.values() for s in a.styli()]

    def on_ChangeTool(self, given: Call) -> None:
        """Take a tool, through the rack where it must be."""
        tool = tool_named(self.world, _text(given))
        change(self.world, tool.assembly.name)
        self.world.stylus_id = tool.stylus

    def on_GetChangeToolAction(self, given: Call) -> Answer:
        """Say what a change would mean: nothing moves, the machine does it, or a hand must."""
        tool = tool_named(self.world, _text(given))
        mounted = "" if self.world.probe is None else self.world.probe.assembly.name
        racked = all(name in self.world.rack for name in (mounted, tool.assembly.name) if name)
        if mounted == tool.assembly.name:
            return [(Call("ChangeToolAction", (Word("Switch"),)),)]
        return [(Call("ChangeToolAction", (Word("MoveAuto" if racked else "MoveMan"),)),)]

    def on_SetTool(self, given: Call) -> None:
        """Say which tool is on the machine: nothing moves."""
        tool = tool_named(self.world, _text(given))
        if self.world.probe is None or self.world.probe.assembly.name != tool.assembly.name:
            raise MachineStopped(m.NO_PROBE, f"{tool.assembly.name} is not on the machine", 1)
        self.world.stylus_id = tool.stylus

    def on_FindTool(self, given: Call) -> None:
        """Look for a tool: its properties can be asked for as FoundTool; the one in use stays."""
        self._found = None
        self._found = tool_named(self.world, _text(given))

    def on_AlignTool(self, given: Call) -> Answer:
        """Turn the head so that the stylus points against a direction, within an angle (degrees)."""
        values = given.numbers()
        if len(values) not in (4, 8):
            raise ProtocolError("AlignTool has 4 or 8 numbers")
        world = self.world
        world.ready()
        tool = tool_in_use(world)
        if tool is None:
            raise MachineStopped(m.NO_PROBE, "no probe is on the machine", 1)
        wanted = np.array(values[:3])
        if not np.linalg.norm(wanted) > 1e-6:
            raise MachineStopped(m.NO_NORM, "the direction has no length", 0)
        wanted = self.frames.direction_in(wanted / np.linalg.norm(wanted))
        most = values[3] if len(values) == 4 else values[6]
        pose = _nearest(tool, wanted)
        back = -tool.assembly.stylus(tool.stylus, pose).direction
        off = float(np.degrees(np.arccos(np.clip(back @ wanted, -1, 1))))
        if off > most + 1e-6:
            raise MachineStopped(m.ANGLE, f"the head comes within {off:.1f} degrees of it, not {most:g}", 1)
        world.go_to_pose(pose)
        i, j, k = (float(v) for v in self.frames.direction_out(back))
        return [(call("AlignTool", i, j, k),)]

    # Properties ---------------------------------------------------------------------------------------------------

    def on_GetProp(self, given: Call) -> Answer:
        """Read properties."""
        return [(self.properties.get(n),) for n in _names(given)]

    on_GetPropE = on_GetProp

    def on_SetProp(self, given: Call) -> None:
        """Set properties."""
        for name, values in named(given).items():
            self.properties.set(name, values[0])

    def on_EnumProp(self, given: Call) -> Answer:
        """Name what is directly below a property, with its type."""
        return [tuple(pair) for pair in self.properties.below(_one_name(given))]

    def on_EnumAllProp(self, given: Call) -> Answer:
        """Name all that is below a property, with its type."""
        return [tuple(pair) for pair in self.properties.every(_one_name(given))]

    # Coordinates --------------------------------------------------------------------------------------------------

    def on_SetCoordSystem(self, given: Call) -> None:
        """Choose the coordinates of all places from now on."""
        name = _one_name(given)
        if name not in csy.SYSTEMS:
            raise MachineStopped(m.ARGUMENT, f"the coordinate systems are {', '.join(csy.SYSTEMS)}", 0)
        self.frames.active = name

    def on_GetCoordSystem(self, given: Call) -> Answer:
        """Say which coordinates are in use."""
        return [(Call("CoordSystem", (Word(self.frames.active),)),)]

    def on_SetCsyTransformation(self, given: Call) -> None:
        """Lay a coordinate system."""
        name, numbers = _name_and_numbers(given)
        self.frames.set_transformation(name, numbers)

    def on_GetCsyTransformation(self, given: Call) -> Answer:
        """Say how a coordinate system lies."""
        found = csy.to_numbers(self.frames.transformation(_one_name(given)))
        return [(call("GetCsyTransformation", *found),)]

    def on_SaveActiveCoordSystem(self, given: Call) -> None:
        """Keep how the part lies, under a name."""
        self.frames.named[_text(given)] = self.frames.moveable_from_part

    def on_LoadCoordSystem(self, given: Call) -> None:
        """Lay the part as it was kept."""
        self.frames.moveable_from_part = self._kept(_text(given))
        self.frames.active = csy.PART

    def on_DeleteCoordSystem(self, given: Call) -> None:
        """Forget what was kept."""
        self._kept(_text(given))
        del self.frames.named[_text(given)]

    def on_EnumCoordSystems(self, given: Call) -> Answer:
        """Name what was kept."""
        return [(name,) for name in self.frames.named]

    def on_GetNamedCsyTransformation(self, given: Call) -> Answer:
        """Say how something that was kept lies."""
        return [(call("GetNamedCsyTransformation", *csy.to_numbers(self._kept(_text(given)))),)]

    def on_SaveNamedCsyTransformation(self, given: Call) -> None:
        """Keep how a part lies, by its numbers."""
        name, numbers = _name_and_numbers(given)
        self.frames.named[name] = csy.from_numbers(numbers)

    def _kept(self, name: str) -> np.ndarray:
        if name not in self.frames.named:
            raise MachineStopped(m.ARGUMENT, f"there is no coordinate system {name[:60]}", 0)
        return self.frames.named[name]


def _three(values: tuple[float, ...]) -> Vector:
    if len(values) != 3:
        raise ProtocolError("IJK is a direction of three numbers")
    return np.array(values)


def _fields(given: Call) -> tuple[str, ...]:
    names = tuple(_names(given))
    if not {"X", "Y", "Z"} <= set(names) or set(names) - set(_TOUCH_FIELDS):
        raise MachineStopped(m.ARGUMENT, f"X, Y, Z and possibly {', '.join(_TOUCH_FIELDS[3:])} can be reported", 0)
    return names


def _name_and_numbers(given: Call) -> tuple[str, tuple[float, ...]]:
    if not given.args:
        raise ProtocolError(f"{given.name} has a name and six numbers")
    first, *rest = given.args
    return first.name if isinstance(first, Call) else str(first), Call(given.name, tuple(rest)).numbers()


def _nearest(tool: Tool, wanted: Vector) -> HeadPose:
    """Return the pose in which the shaft of a stylus points back most nearly in a direction (3,)."""
    own = tool.assembly.articulation
    if own is None:
        return HeadPose()

    def off(pose: HeadPose) -> float:
        return float(-(-tool.assembly.stylus(tool.stylus, pose).direction @ wanted))

    tilts = np.arange(np.ceil(own.tilt_min_deg / own.step_deg), own.tilt_max_deg / own.step_deg + 1e-9) * own.step_deg
    turns = np.arange(np.ceil(own.turn_min_deg / own.step_deg), own.turn_max_deg / own.step_deg + 1e-9) * own.step_deg
    coarse = [HeadPose(tilt_deg=float(t), turn_deg=float(b)) for t in tilts[::3] for b in turns[::4]]
    best = min(coarse, key=off)
    near = [
        HeadPose(tilt_deg=float(t), turn_deg=float(b)) for t in tilts for b in turns
        if abs(t - best.tilt_deg) <= 3 * own.step_deg and _apart(b, best.turn_deg) <= 5 * own.step_deg
    ]  # fmt: skip
    return min(near, key=off)


def _apart(a: float, b: float) -> float:
    return float(abs((a - b + 180) % 360 - 180))
