"""Properties of the I++ server: their names, types and values."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.devices.cmm_sim.words import MachineStopped
from truegauge.devices.cmm_sim.world import CmmWorld
from truegauge.devices.ipp import messages as m
from truegauge.devices.ipp.messages import Call, Value, call

_SET = {
    "GoToPar.Speed": "travel_speed", "GoToPar.Accel": "acceleration", "PtMeasPar.Speed": "touch_speed",
    "PtMeasPar.Approach": "approach", "PtMeasPar.Search": "search", "PtMeasPar.Retract": "retract",
    "ScanPar.Speed": "scan_speed",
}  # fmt: skip
_RANGES = {
    "travel_speed": (0.0, 600.0), "acceleration": (0.0, 5000.0), "touch_speed": (0.0, 50.0), "scan_speed": (0.0, 100.0),
    "retract": (-100.0, 100.0),
}  # fmt: skip
_READ = {"Name": "String", "Id": "String", "Radius": "Number", "AvrRadius": "Number", "Offset": "Number"}
_OTHERS = {"Part": {"Temperature": "Number"}, "Machine": {"Temperature": "Number", "Id": "String"}}


@dataclass(frozen=True, slots=True)
class Tool:
    """A tool of the server: a stylus of an assembly."""

    assembly: ProbeAssembly
    stylus: str

    @property
    def name(self) -> str:
        """What the server calls it."""
        return f"{self.assembly.name}:{self.stylus}"


def tool_in_use(world: CmmWorld) -> Tool | None:
    """Return the tool that is on the machine."""
    return None if world.probe is None or not world.stylus_id else Tool(world.probe.assembly, world.stylus_id)


def tool_named(world: CmmWorld, name: object) -> Tool:
    """Return a tool by its name (MachineStopped: there is none)."""
    assembly, _, stylus = str(name).rpartition(":")
    known = world.assemblies.get(assembly)
    if not isinstance(name, str) or known is None or all(s.id != stylus for s in known.styli()):
        raise MachineStopped(m.NO_TOOL, f"there is no tool {str(name)[:60]}", 1)
    return Tool(known, stylus)


class Properties:
    """Reads and sets them. `found` returns the tool that was looked for last."""

    def __init__(self, world: CmmWorld, found: Callable[[], Tool | None]) -> None:
        self._world, self._found = world, found

    def get(self, name: str) -> Call:
        """Return a property by its full name (MachineStopped: there is none)."""
        world = self._world
        root, _, own = name.partition(".")
        if root == "Tool" and own in _SET:
            return call(name, float(getattr(self._holder(_SET[own]), _SET[own])))
        if root in ("Tool", "FoundTool") and own in _READ:
            tool = tool_in_use(world) if root == "Tool" else self._found()
            if tool is None and own in ("Id", "Name"):
                return Call(name, ("",))
            if tool is None:
                raise MachineStopped(m.NO_PROBE, "no tool is on the machine, or was found", 1)
            return Call(name, self._of(tool, own))
        if name == "Machine.Id":
            return Call(name, (f"stand-in {world.seed}",))
        if name in ("Part.Temperature", "Machine.Temperature"):
            return call(name, float(world.temperature_c))
        raise MachineStopped(m.NO_PROPERTY, f"there is no property {name[:60]}", 0)

    def _holder(self, attribute: str) -> object:
        return self._world.drive if hasattr(self._world.drive, attribute) else self._world

    def _of(self, tool: Tool, own: str) -> tuple[Value, ...]:
        if own in ("Name", "Id"):
            return (tool.name,)
        pose = HeadPose()
        if self._world.probe is not None and self._world.probe.assembly.name == tool.assembly.name:
            pose = self._world.probe.pose
        tip = tool.assembly.stylus(tool.stylus, pose)
        return (float(tip.radius),) if own.endswith("Radius") else tuple(float(v) for v in tip.center)

    def set(self, name: str, value: float) -> None:
        """Set a property (MachineStopped: there is none, or the value is out of its range)."""
        own = name.removeprefix("Tool.")
        if own not in _SET or own == name:
            raise MachineStopped(m.NO_PROPERTY, f"{name[:60]} cannot be set", 0)
        attribute = _SET[own]
        low, high = _RANGES.get(attribute, (0.0, 100.0))
        if not low <= value <= high or (low == 0 and value == 0):
            raise MachineStopped(m.ARGUMENT, f"{name} goes from {low:g} to {high:g}", 0)
        setattr(self._holder(attribute), attribute, value)

    def below(self, path: str) -> list[tuple[str, str]]:
        """Return names and types of what is directly below a path; of everything at the top (MachineStopped)."""
        tree = {f"Tool.{k}": "Number" for k in _SET}
        tree.update({f"{root}.{k}": v for root in ("Tool", "FoundTool") for k, v in _READ.items()})
        tree.update({f"{root}.{k}": v for root, own in _OTHERS.items() for k, v in own.items()})
        start = f"{path}." if path else ""
        found: dict[str, str] = {}
        for name, kind in tree.items():
            if name.startswith(start):
                first, more, _ = name[len(start) :].partition(".")
                found.setdefault(first, "Property" if more else kind)
        if not found:
            raise MachineStopped(m.NO_PROPERTY, f"nothing is below {path[:60]}", 0)
        return sorted(found.items())

    def every(self, path: str) -> Iterator[tuple[str, str]]:
        """Return names and types of all that is below a path, the names in full."""
        for name, kind in self.below(path):
            full = f"{path}.{name}" if path else name
            yield full, kind
            if kind == "Property":
                yield from self.every(full)
