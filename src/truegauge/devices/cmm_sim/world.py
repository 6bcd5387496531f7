"""The machine behind the server: it moves, touches, meets obstacles, takes its time. Knows nothing of sockets."""

import threading
from dataclasses import replace

import numpy as np

from truegauge.core.arrays import Points, Vector, unit
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly, StylusPlace
from truegauge.core.probing.clearance import Obstacle, ProbeShape, first_meeting, gap, probe_shape
from truegauge.core.probing.length_standard import LengthStandard
from truegauge.core.probing.obstacles import ParkedProbe, Table
from truegauge.core.probing.probing import RackPort
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.devices.cmm_sim.drive import Drive
from truegauge.devices.cmm_sim.probe import PhysicalProbe
from truegauge.devices.cmm_sim.settings import Fault, Faults, MachineSettings, VolumetricError
from truegauge.devices.cmm_sim.surroundings import GaugeOnTable, SphereOnTable, tip_balls
from truegauge.devices.cmm_sim.words import MachineStopped, SensorTouch
from truegauge.devices.ipp import messages as m
from truegauge.devices.made_part import MadePart

_TICK_S = 0.02
_CONTACT = 1e-7
_ROUNDED = 0.05  # mm beyond the end of an axis that are taken for its end
_FAR = 20.0  # mm within which the room of a probe is asked for exactly
_SAFE = 0.02  # mm of room that counts as free


class CmmWorld:
    """Machine, probe, and what stands on the table."""

    def __init__(self, settings: MachineSettings, seed: int, faults: tuple[Fault, ...] = ()) -> None:
        self.settings, self.seed = settings, seed
        self.faults = Faults(list(faults))
        self.rng = np.random.default_rng([seed, 5])
        self.error = VolumetricError(settings, np.random.default_rng([seed, 6]))
        self.temperature_c = settings.temperature_c
        self.table = Table(settings.table_z)
        self.sphere: SphereOnTable | None = None
        self.part: MadePart | None = None
        self.others: tuple[MadePart, ...] = ()  # pieces beside it
        self.gauge: GaugeOnTable | None = None
        self.fixtures: list[Obstacle] = []
        self.assemblies: dict[str, ProbeAssembly] = {}  # that somebody has put together, by name
        self.rack: dict[str, RackPort] = {}  # by the name of the assembly
        self.probe: PhysicalProbe | None = None
        self.stylus_id = ""
        x, y, z = settings.travel[1]
        self.drive = Drive(np.array([x / 2, y / 2, z]), settings.kinematics, settings.pace)
        self.homed = False
        self.fault_text = ""  # why it stands still, until it is cleared
        self.busy = threading.RLock()  # one thing at a time: what the program asks, and what hands do
        self.travel_speed, self.touch_speed, self.scan_speed = 150.0, 5.0, 10.0
        self.approach, self.search, self.retract = 4.0, 4.0, 4.0
        self.touches = 0
        self._jog = np.zeros(3)
        self._moved_sphere = False
        self._scanning, self._leave = False, np.array([0.0, 0.0, 1.0])
        self._shapes: dict[tuple[str, HeadPose], ProbeShape] = {}
        self._in_rack: tuple[object, tuple[ParkedProbe, ...]] | None = None

    # What people do -----------------------------------------------------------------------------------------------

    def put_sphere(self, record: ReferenceSphere) -> None:
        """Stand a reference sphere on the table, as its record says, roughly where there is room for it."""
        self.sphere = SphereOnTable.somewhere(record, self.settings, self.seed)

    def put_gauge(self, standard: LengthStandard) -> None:
        """Lay a step gauge on the table, behind the part, about along X."""
        self.gauge = GaugeOnTable.somewhere(standard, self.settings, self.seed, self.temperature_c)

    def build(self, assembly: ProbeAssembly) -> None:
        """Put an assembly together as described; one of the same name is taken apart."""
        self.assemblies[assembly.name] = assembly
        self._shapes.clear()
        if self.probe is not None and self.probe.assembly.name == assembly.name:
            kept, pose = self.stylus_id, self.probe.pose
            same = self.probe.assembly.content_key == assembly.content_key
            if same:
                self.probe.assembly = assembly
            else:
                self.mount(assembly.name)
            if pose in assembly.poses and same:
                self.stylus_id = kept

    def mount(self, name: str) -> None:
        """Fix an assembly to the quill, by hand or from the rack (KeyError: nobody built it)."""
        assembly = self.assemblies[name]
        self.probe = PhysicalProbe(assembly, self.settings, self.seed)
        styli = assembly.styli()
        self.stylus_id = styli[0].id if styli else ""

    def move_sphere(self, by: Vector) -> None:
        """Knock against the reference sphere."""
        if self.sphere is not None:
            self.sphere.center = self.sphere.center + by

    def clean(self) -> None:
        """Clean the sphere."""
        if self.sphere is not None:
            self.sphere.dirt.clear()
        self.faults.every = [f for f in self.faults.every if f.name != "dirty-sphere"]

    # Where it is --------------------------------------------------------------------------------------------------

    @property
    def obstacles(self) -> tuple[Obstacle, ...]:
        """Everything that can be met."""
        there: list[Obstacle] = [self.table, *self.fixtures, *self._parked()]
        standing: tuple[Obstacle | None, ...] = (self.sphere, self.part, self.gauge)
        return (*there, *self.others, *(o for o in standing if o is not None))

    def _parked(self) -> tuple[ParkedProbe, ...]:
        """Return what hangs in the rack."""
        mounted = "" if self.probe is None else self.probe.assembly.name
        key = (mounted, tuple(self.rack.items()), tuple(a.content_key for a in self.assemblies.values()))
        if self._in_rack is None or self._in_rack[0] != key:
            made = [
                ParkedProbe(name, self.assemblies[name].bodies(), np.array(port.place))
                for name, port in self.rack.items()
                if name != mounted and name in self.assemblies and self.assemblies[name].parts and any(port.place)
            ]
            self._in_rack = key, tuple(made)
        return self._in_rack[1]

    def nominal_tip(self) -> Vector:
        """Return the place of the tip in use beside the quill by the description; zero without a stylus."""
        if self.probe is None or not self.stylus_id:
            return np.zeros(3)
        return self.probe.assembly.stylus(self.stylus_id, self.probe.pose).center

    def place(self) -> Vector:
        """Return where the machine believes the tip in use to be (3,)."""
        return np.asarray(self.drive.scales + self.nominal_tip())

    def true_tip(self) -> StylusPlace:
        """Return the tip in use as it is, beside the quill."""
        if self.probe is None or not self.stylus_id:
            raise MachineStopped(m.NO_PROBE, "no stylus is on the machine: mount a probe assembly", 1)
        return self.probe.place(self.stylus_id, bent=self.faults.size("bent-stylus", self.touches))

    def true_quill(self, scales: Vector) -> Vector:
        """Return where the quill really is."""
        return np.asarray(scales + self.error.at(scales))

    def shape(self) -> ProbeShape:
        """Return the probe as balls, tips included, for collisions."""
        if self.probe is None:
            return ProbeShape(np.zeros((0, 3)), np.zeros(0), ())
        key = (self.probe.assembly.name, self.probe.pose)
        found = self._shapes.get(key)
        if found is None:
            a = self.probe.assembly
            found = self._shapes[key] = probe_shape(a.bodies(self.probe.pose), a.styli(self.probe.pose))
        return found

    def _without_tip(self) -> ProbeShape:
        whole = self.shape()
        name = f"tip {self.true_tip().name}"
        near = np.array([o != name for o in whole.owner])
        # The stem is met near its own tip whenever the tip touches: there the tip speaks for it.
        tip = self.true_tip()
        far = np.linalg.norm(whole.centers - tip.center, axis=1) > tip.radius + 0.5
        keep = near & far
        if self.faults.size("bent-stylus"):  # its stem is not where the shape has it
            keep &= np.array([o != self.stylus_id.partition(".")[0] for o in whole.owner])
        # Of its own stylus only balls tell: its solid is met wherever the tip touches.
        return whole.only(keep, self.stylus_id.partition(".")[0])

    # Moving -------------------------------------------------------------------------------------------------------

    def ready(self) -> None:
        """Refuse when it may not move."""
        if self.fault_text:
            raise MachineStopped(m.MACHINE_ERROR, f"the machine stands still: {self.fault_text}. Clear the error", 2)
        if not self.homed:
            raise MachineStopped(m.NOT_HOMED, "the machine does not know where it is: home it first", 1)

    def home(self) -> None:
        """Find the scales' marks: straight up, then where it is known."""
        self.fault_text = ""
        self.drive.run_to(np.array([*self.drive.scales[:2], self.settings.travel[1][2]]), self.travel_speed)
        self.homed = True

    def go_to(self, place: Vector, pose: HeadPose | None = None) -> None:
        """Move the tip in use to a place, straight; turn the head first, where it is."""
        self.ready()
        if pose is not None and self.probe is not None and pose != self.probe.pose:
            self._turn_head(pose)
        self.travel(place - self.nominal_tip())

    def go_to_pose(self, pose: HeadPose) -> None:
        """Turn the head where it is."""
        self.ready()
        if self.probe is None:
            raise MachineStopped(m.NO_PROBE, "no probe is on the machine", 1)
        if pose != self.probe.pose:
            self._turn_head(pose)

    def _turn_head(self, pose: HeadPose) -> None:
        assert self.probe is not None
        reason = self.probe.assembly.why_unreachable(pose)
        if reason:
            raise MachineStopped(m.ANGLE, reason, 1)
        before = self.probe.pose
        own = self.probe.assembly.articulation
        assert own is not None
        steps = int(max(abs(pose.tilt_deg - before.tilt_deg), abs(pose.turn_deg - before.turn_deg)) // 15) + 1
        for k in range(1, steps + 1):
            s = k / steps
            between = HeadPose(
                tilt_deg=before.tilt_deg + s * (pose.tilt_deg - before.tilt_deg),
                turn_deg=before.turn_deg + s * (pose.turn_deg - before.turn_deg),
            )
            a = self.probe.assembly
            shape = probe_shape(a.bodies(between), a.styli(between))
            room, part, obstacle = gap(shape, self.true_quill(self.drive.scales), self.obstacles)
            if room < 0:
                self._collide(part, obstacle)
        self.drive.wait(self.settings.kinematics.turn_s)
        self.probe.take_pose(pose)
        self.drive.moved()

    def travel(self, quill: Vector) -> None:
        """Move the quill (by its scales) straight; whatever is met stops it."""
        low, high = self.settings.travel
        if (quill < np.array(low) - _ROUNDED).any() or (quill > np.array(high) + _ROUNDED).any():
            axis = "XYZ"[int(np.argmax(np.maximum(np.array(low) - quill, quill - np.array(high))))]
            raise MachineStopped(m.OUT_OF_LIMITS, f"the way ends beyond the travel of the {axis} axis", 1)
        quill = np.clip(quill, low, high)
        start, end = self.true_quill(self.drive.scales), self.true_quill(quill)
        met = first_meeting(self.shape(), start, end, self.obstacles, self._margin(self.shape(), start))
        if met is None:
            self.drive.run_to(quill, self.travel_speed)
            return
        self.drive.run_to(self.drive.scales + (met.at - start), self.travel_speed)
        self._collide(met.part, met.obstacle)

    def _margin(self, shape: ProbeShape, at: Vector) -> float:
        """Return the least room that is no collision: after one, the machine must be able to get out of it."""
        room = gap(shape, at, self.obstacles)[0]
        return 0.0 if room > 0 else room - _SAFE

    def _collide(self, part: str, obstacle: str) -> None:
        if part.startswith("tip"):
            self.fault_text = f"{part} met {obstacle} where nothing was expected"
            raise MachineStopped(m.UNEXPECTED_CONTACT, f"{self.fault_text}; the machine stopped", 2)
        name = "the probe"
        if self.probe is not None:
            name = self.probe.assembly.part(part).component.name
        self.fault_text = f"{name} met {obstacle}"
        raise MachineStopped(m.COLLISION, f"collision: {self.fault_text}; the machine stopped", 2)

    # Touching -----------------------------------------------------------------------------------------------------

    def measure(self, target: Vector, normal: Vector) -> SensorTouch:
        """Touch a place of a surface: go before it, feel for it, go back.

        `target` (3,) is where the surface is expected, `normal` (3,) points out of it.
        """
        self.ready()
        self._scanning = False
        out = unit(normal)
        radius = self.true_tip().radius
        self.travel(target + (radius + self.approach) * out - self.nominal_tip())
        touch = self.feel(-out, self.approach + self.search)
        if touch is None:
            self._retreat(out, self.retract)
            raise MachineStopped(
                m.NO_SURFACE, f"nothing was touched within {self.approach + self.search:g} mm of the approach", 1
            )
        self._retreat(out, self.retract)
        return touch

    def measure_along(
        self, target: Vector, normal: Vector, near: float = 0.3, *, own_normal: bool = False
    ) -> SensorTouch:
        """Touch the next point of a scan: from point to point the tip stays `near` mm before the surface.

        With `own_normal` the direction of the touch is that in which the tip was deflected.
        """
        out = unit(normal)
        radius = self.true_tip().radius
        self.travel(target + (radius + (near if self._scanning else self.approach)) * out - self.nominal_tip())
        touch = self.feel(-out, self.approach + self.search)
        if touch is None:
            raise MachineStopped(m.NO_SURFACE, "the surface was lost on the way of the scan", 1)
        self._scanning = True
        self._leave = self._deflected(out)
        if own_normal:
            touch = replace(touch, approach=-self._leave)
        self._retreat(self._leave, near)
        return touch

    def _deflected(self, expected: Vector) -> Vector:
        """Return the surface's normal (3,) at the contact, as the deflection of the tip tells it."""
        at = tip_balls(self.true_tip()) + self.true_quill(self.drive.scales)
        steps = 0.01 * np.eye(3)
        growth = np.array([self._room(at + s, 0.0) - self._room(at - s, 0.0) for s in steps])
        length = float(np.linalg.norm(growth))
        return growth / length if length > 0.005 else expected

    def leave_surface(self) -> None:
        """Go back from where a scan ended."""
        self._scanning = False
        self._retreat(self._leave, self.retract)

    def feel(self, direction: Vector, reach: float, speed: float = 0.0) -> SensorTouch | None:
        """Move in a direction until the sensor says that it touches; None when it does not within `reach` mm."""
        direction, speed = unit(direction), speed or self.touch_speed
        found = self._contact(direction, reach)
        if found is None:
            self.drive.run_to(self.drive.scales + reach * direction, speed)
            return None
        tip = self.true_tip()
        assert self.probe is not None
        bent = self.faults.size("bent-stylus", self.touches)
        late = self.probe.pre_travel(tip, direction, speed, bent=bent)
        noise = float(self.rng.normal(0, self.settings.noise))
        self.drive.run_to(self.drive.scales + found * direction, speed)
        self.touches += 1
        self._happenings()
        # What the machine believes: its scales at the signal, and the tip where the description says.
        return SensorTouch(self.place() + (late + noise) * direction, direction)

    def _happenings(self) -> None:
        size = self.faults.size("moved-sphere", self.touches)
        if size and not self._moved_sphere:
            self._moved_sphere = True
            self.move_sphere(size * np.array([0.9, -0.6, 0.0]))
        if self.faults.size("warm", self.touches):
            self.temperature_c = self.settings.temperature_c + 4.0 * self.faults.size("warm", self.touches)

    def _contact(self, direction: Vector, reach: float) -> float | None:
        """Return how far the tip can go before it touches, mm; None when it does not touch within `reach`.

        The tip goes on by the room that is left, which ends at the first place of contact (sphere tracing).
        """
        tip = self.true_tip()
        assert self.probe is not None
        wrong = self.faults.size("wrong-diameter")
        radius = self.probe.diameter(self.stylus_id, wrong=wrong) / 2
        rest = self._without_tip()
        dirty = self.faults.size("dirty-sphere")
        if dirty and self.sphere is not None and not self.sphere.dirt:
            self.sphere.make_dirty(np.array([0.04, 0.02, 1.0]), 0.035 * dirty)
        quill = self.true_quill(self.drive.scales)
        done, body_room, least = 0.0, 0.0, self._margin(rest, quill)
        while done <= reach:
            at = quill + done * direction
            room = self._room(tip_balls(tip) + at, radius)
            if room < _CONTACT:
                return done
            if body_room < _SAFE:
                body_room, part, obstacle = gap(rest, at, self.obstacles, _FAR)
                body_room = min(body_room, _FAR)
                if body_room < least:
                    self.drive.run_to(self.drive.scales + done * direction, self.touch_speed)
                    self._collide(part, obstacle)
            step = min(room, max(body_room, 0.05))
            done += step
            body_room -= step
        return None

    def _room(self, centers: Points, radius: float) -> float:
        return min(float(o.distances(centers).min()) for o in self.obstacles) - radius

    def _retreat(self, out: Vector, distance: float) -> None:
        if distance > 0:  # else it stays where it touched
            self.drive.run_to(self.drive.scales + distance * out, self.travel_speed)

    # By hand ------------------------------------------------------------------------------------------------------

    def jog(self, velocity: Vector, seconds: float) -> SensorTouch | None:
        """Move by joystick for a moment; a contact is a touch, and the machine backs off by itself."""
        if self.fault_text or not self.homed or self.probe is None:
            return None
        step = velocity * seconds
        length = float(np.linalg.norm(step))
        if length < 1e-9:
            return None
        low, high = (np.array(v) for v in self.settings.travel)
        step = np.clip(self.drive.scales + step, low, high) - self.drive.scales
        length = float(np.linalg.norm(step))
        if length < 1e-9:
            return None
        touched = self.feel(step / length, length, float(np.linalg.norm(velocity)))
        if touched is not None:
            self._retreat(-touched.approach, self.retract)
        return touched

    def touch_by_hand(self, direction: Vector, reach: float) -> SensorTouch | None:
        """Move slowly in a direction until contact, as somebody with a joystick does, and back off."""
        self.ready()
        touched = self.feel(direction, reach, 3.0)
        if touched is not None:
            self._retreat(-touched.approach, self.retract)
        return touched
