"""A coordinate measuring machine behind an I++ DME server, in the words of a plan: styli, poses, touches."""

import threading
import time
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import ToolName
from truegauge.devices.ipp import messages as m
from truegauge.devices.ipp.client import ConnectionLost, IppClient, MachineRefused
from truegauge.devices.ipp.messages import Call, Value, call, place_calls

_REPORT_S = 0.1
_TRIES, _ASKED = 4, 3
_BETWEEN_S = 0.4
_LONG_S = 600.0  # of a move: a machine may be slow
_UNKNOWN = (m.UNSUPPORTED, m.NO_PROPERTY, 505)  # error numbers: no such command, no such property
_AT_POSE = 0.06  # degrees
_ON_THE_WAY, _ARRIVED, _BEYOND = 1.5, 0.02, 20.0  # mm; a touch searches beyond where it was expected
Check = Callable[[], None]


@dataclass(frozen=True, slots=True, eq=False)
class MachineTouch:
    """A touch: the centre of the tip by its nominal place (3,), and the direction out of the surface (3,)."""

    place: Vector
    out: Vector


@dataclass(frozen=True, slots=True)
class Abilities:
    """What a machine can do, as far as it told when it was asked."""

    turns: bool = True  # its head, by command
    scans: bool = False
    tells_moves: bool = True  # where it is while it moves
    tells_temperature: bool = False
    gives_joystick: bool = False  # to the user, and takes it back

    def words(self, tools: int) -> str:
        """Say it in words."""
        said = [
            "turns its head" if self.turns else "has a head that it does not turn by command",
            "scans" if self.scans else "does not scan",
            f"names {tools} tools" if tools else "does not name its tools",
        ]
        missing = [
            word for word, has in (
                ("where it is while it moves", self.tells_moves), ("the temperature", self.tells_temperature),
                ("who has the joystick", self.gives_joystick),
            ) if not has
        ]  # fmt: skip
        return ", ".join(said) + (f"; it does not tell {' or '.join(missing)}" if missing else "")


class ChangeByHand(DeviceError):
    """A probe assembly must be changed by hand."""

    def __init__(self, wanted: str, mounted: str) -> None:
        self.wanted, self.mounted = wanted, mounted
        first = f"take {mounted} off the machine and " if mounted else ""
        super().__init__(f"{first}put {wanted} on the machine, then go on: it has no port in the rack")


class NotHomed(DeviceError):
    """The machine lost its place."""


class Cmm:
    """One machine. Commands come from one thread at a time; what is shown may be asked from any."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.name = f"CMM at {host}:{port}"
        self._client: IppClient | None = None
        self._polling = threading.Lock()
        self._hand: deque[MachineTouch] = deque()
        self.position: Vector | None = None  # of the tip in use, as last reported
        self.pose = HeadPose()
        self._asked_pose: HeadPose | None = None  # where the head was sent last
        self.use: StylusUse | None = None
        self._last_use: StylusUse | None = None  # also while the connection is lost
        self.mounted = ""
        self._tool = ""  # the machine's name of what is in use
        self._nominal: Vector | None = None  # where the tip in use is beside the quill, by its description
        self.highest_quill = -np.inf  # where it was seen since it was connected: so high it can go
        self._offset = np.zeros(3)  # from where the server has the tip to where the plan has it
        self._speeds: dict[str, float] = {}
        self.answer_s: float | None = None
        self._says = ""  # what the machine calls itself
        self.abilities = Abilities()
        self.tools: tuple[str, ...] = ()  # the names of its tools, where it tells them
        self.names: tuple[ToolName, ...] = ()  # what it calls our styli, as it is kept with the machine
        self.alarm = ""  # what it said that nobody had asked for
        self._under_way: tuple[StylusUse | None, Vector, Vector] | None = None  # the last move, until it has ended well
        self._stands: Vector | None = None  # where it ended

    # The connection -----------------------------------------------------------------------------------------------

    @property
    def is_connected(self) -> bool:
        """Whether there is a session."""
        return self._client is not None and not self._client.is_lost

    @property
    def garbage(self) -> int:
        """How many lines of the machine could not be read."""
        return 0 if self._client is None else self._client.garbage

    def connect(self) -> None:
        """Open a session (ConnectionLost: there is nothing to connect to)."""
        self.close()
        self._nominal, self.highest_quill = None, -np.inf
        client = IppClient(self.host, self.port)
        if self.answer_s is not None:
            client.answer_s = self.answer_s
        self._client = client
        try:
            client.ask(call("StartSession"))
            with suppress(MachineRefused):  # some always say all
                client.ask(call("OnPtMeasReport", call("X"), call("Y"), call("Z"), call("IJK")))
            self._read_identity()
            self._read_abilities()
            self._ask_again_for_moves()
            self._read_tool()
            client.watch()
        except DeviceError:
            self.close()
            raise
        self._speeds = {}
        self.use = self._stands = None

    @property
    def identity(self) -> str:
        """What tells this machine from every other one: what it says of itself, else where it answers."""
        return self._says or f"{self.host}:{self.port}"

    @property
    def says_who_it_is(self) -> bool:
        """Whether the machine itself tells its identity."""
        return bool(self._says)

    def _read_identity(self) -> None:
        self._says = ""
        with suppress(MachineRefused):  # the protocol has no word for it: only some servers know
            for _ in range(_ASKED):  # a line may be garbled
                for value in (v for values in self._ask(call("GetProp", call("Machine.Id"))) for v in values):
                    if isinstance(value, Call) and value.name == "Machine.Id" and value.args:
                        self._says = str(value.args[0])
                        return

    def _ask_again_for_moves(self) -> None:
        try:
            self._ask(call("OnMoveReportE", call("Time", _REPORT_S), *self._fields()))
        except MachineRefused:
            self.abilities = replace(self.abilities, tells_moves=False)
            self.position = None  # a server without moving reports: the place is asked for instead

    def _fields(self) -> tuple[Call, ...]:
        """Return what says where it is: with the angles of the head, where it has one that turns."""
        head = (call("Tool.A"), call("Tool.B")) if self.turns else ()
        return (call("X"), call("Y"), call("Z"), *head)

    def _read_abilities(self) -> None:
        """Ask what the machine can do: not every one has a head that turns, nor tells the names of its tools."""
        self.abilities, self.pose, self.tools = Abilities(), HeadPose(), ()
        try:
            self.where()
        except MachineRefused:
            self.abilities = replace(self.abilities, turns=False)
            self.where()
        place = (call("X"), call("Y"), call("Z"))
        scans = self._knows(call("OnScanReport", *place, call("IJK"))) or self._knows(call("OnScanReport", *place))
        warm = self._knows(call("GetProp", call("Part.Temperature")))
        hand = self._knows(call("IsUserEnabled"))
        self.abilities = replace(self.abilities, scans=scans, tells_temperature=warm, gives_joystick=hand)
        with suppress(MachineRefused):
            self.tools = tuple(name for values in self._ask(call("EnumTools")) if (name := _tool_named(values)))

    def _knows(self, command: Call) -> bool:
        """Tell whether a harmless command is taken."""
        try:
            self._ask(command)
        except MachineRefused:
            return False
        return True

    @property
    def turns(self) -> bool:
        """Whether it has a head that turns by command."""
        return self.abilities.turns

    def _read_tool(self) -> None:
        self.mounted = ""
        try:
            for values in self._ask(call("GetProp", call("Tool.Id"))):
                for value in values:
                    if isinstance(value, Call) and value.args and isinstance(value.args[0], str):
                        self.mounted = self._assembly_of(value.args[0])
            self.where()
        except MachineRefused:
            self.mounted = ""

    def reconnect(self, probing: Probing, check: Check = lambda: None) -> None:
        """Open the session again after it was lost, with the stylus in use as before; tries several times.

        Raises
        ------
        ConnectionLost
            Nothing answers.
        NotHomed
            The machine is there but does not know where it is.
        DeviceError
            Another machine answers there now, or it stands still after an error.
        """
        known = self.identity
        for k in range(_TRIES):
            check()
            try:
                self.connect()
            except DeviceError as error:
                if k == _TRIES - 1:
                    refused = isinstance(error, MachineRefused)
                    what = error.said.words if isinstance(error, MachineRefused) else "it does not answer any more"
                    do = "connect" if refused else "see that it has power and that its server runs, connect"
                    raise ConnectionLost(
                        f"the machine at {self.host}:{self.port}: {what}. What was measured is kept: {do} again, then "
                        "go on"
                    ) from error
                time.sleep(_BETWEEN_S)
                continue
            try:
                self._as_before(known, probing)
            except ConnectionLost:  # cut again while it was asked how it is
                if k == _TRIES - 1:
                    raise
            else:
                return

    def _as_before(self, known: str, probing: Probing) -> None:
        """See that it is the same machine and can move, and take the stylus in use before (DeviceError: it is not)."""
        if self.identity != known:
            self.close()
            raise DeviceError(f"another machine answers now ({self.identity}, not {known}): connect to it anew")
        if not self.is_homed():
            raise NotHomed("the machine lost its power and does not know where it is: home it, then go on")
        if self.has_error():
            raise DeviceError("the machine stands still after an error: clear it, then go on")
        before = self._last_use
        # It may stand in the part: the head is not turned, and what is in use is known again, so that it can leave.
        if before is not None and self.mounted == probing.assembly(before.assembly).name:
            self.take_stylus(probing, before, turn=False)

    def close(self) -> None:
        """End the session."""
        if self._client is not None:
            if not self._client.is_lost:
                try:
                    self._client.answer_s = 1.0
                    self._client.ask(call("EndSession"), at_most_s=1.0)
                except DeviceError:
                    pass
            self._client.close()
            self._client = None

    def _ask(self, command: Call, check: Check | None = None, at_most_s: float = 60.0) -> list[tuple[Value, ...]]:
        if self._client is None:
            raise ConnectionLost("the machine is not connected")
        return self._client.ask(command, check=check, at_most_s=at_most_s)

    # States -------------------------------------------------------------------------------------------------------

    def is_homed(self) -> bool:
        """Whether it knows where it is."""
        try:
            return bool(self._told(call("IsHomed"), "IsHomed")["IsHomed"][0])
        except MachineRefused:
            return True  # it does not say: it refuses to move where it is not

    def home(self, check: Check | None = None) -> None:
        """Let it find its scales' marks."""
        self._ask(call("Home"), check, _LONG_S)

    def temperature(self) -> float | None:
        """Return the temperature of the part, degrees Celsius; None when the machine does not know."""
        try:
            return self._told(call("GetProp", call("Part.Temperature")), "Part.Temperature")["Part.Temperature"][0]
        except MachineRefused:
            return None

    def clear_errors(self) -> None:
        """Let it move again after a collision."""
        self._ask(call("ClearAllErrors"))

    def has_error(self) -> bool:
        """Whether it stands still because of an error."""
        try:
            return bool(self._told(call("GetErrStatusE"), "ErrStatus")["ErrStatus"][0])
        except MachineRefused:
            return False  # it does not say

    def stop(self) -> None:
        """Stop it at once, whatever it does."""
        if self._client is not None and not self._client.is_lost:
            self._client.ask(call("AbortE"), at_once=True, at_most_s=5.0)

    def _told(self, command: Call, *names: str) -> dict[str, tuple[float, ...]]:
        """Ask for numbers by their names; again where a line of the answer could not be read.

        Raises
        ------
        ConnectionLost
            It cannot be read however often it is asked.
        """
        for _ in range(_ASKED):
            for values in reversed(self._ask(command)):
                named = _named(values)
                if all(named.get(n) for n in names):
                    return named
        raise ConnectionLost(f"the machine answers {command.name}, but does not say {' and '.join(names)}")

    def where(self) -> Vector:
        """Ask where the tip in use is, (3,) by its nominal place; keeps the pose too."""
        named = self._told(call("Get", *self._fields()), "X", "Y", "Z")
        # What was reported on the way may be sorted in another thread meanwhile: this answer counts.
        return self._take_state(named)

    def _take_state(self, named: dict[str, tuple[float, ...]]) -> Vector:
        place = np.array([named[n][0] for n in "XYZ"]) + self._offset
        self.position = place
        if self._nominal is not None:
            self.highest_quill = max(self.highest_quill, float(place[2] - self._nominal[2]))
        if "Tool.A" in named:
            self.pose = _pose(named["Tool.A"][0], named["Tool.B"][0], self._asked_pose)
        return place

    # What comes unasked -------------------------------------------------------------------------------------------

    def poll(self) -> None:
        """Sort what the machine said unasked."""
        client = self._client
        if client is None:
            return
        with self._polling:
            while not client.alarms.empty():
                self.alarm = client.alarms.get_nowait().words
            while not client.unasked.empty():
                values = client.unasked.get_nowait()
                try:
                    if len(values) == 1 and isinstance(values[0], Call) and values[0].name == "KeyPress":
                        continue  # a key of the joystick box: nothing is done by keys here
                    if len(values) == 1 and isinstance(values[0], Call) and values[0].name == "PtMeas":
                        values = values[0].args  # an event: the touch stands in a call of its own
                    named = _named(values)
                    if "IJK" in named:
                        place = np.array([named[n][0] for n in "XYZ"]) + self._offset
                        self._hand.append(MachineTouch(place, unit(np.array(named["IJK"]))))
                    elif "X" in named:
                        self._take_state(named)
                except (KeyError, IndexError, ValueError, DeviceError):
                    client.garbage += 1

    def hand_touches(self) -> list[MachineTouch]:
        """Return what was touched by hand since the last call (ConnectionLost: the connection has ended)."""
        self.poll()
        found = []
        while self._hand:
            found.append(self._hand.popleft())
        if not found and self._client is not None and self._client.is_lost:
            raise ConnectionLost("the connection to the machine was lost; what was measured is kept")
        return found

    def wait_for_hand_touch(self, check: Check) -> MachineTouch:
        """Wait for the next touch by hand; `check` is called meanwhile and may raise."""
        while True:
            check()
            self.poll()
            if self._hand:
                return self._hand.popleft()
            if not self.is_connected:
                raise ConnectionLost("the connection to the machine was lost while it waited for a touch by hand")
            time.sleep(0.03)

    def forget_hand_touches(self) -> None:
        """Drop touches by hand that nobody took."""
        self.poll()
        self._hand.clear()

    def let_user_move(self, allowed: bool) -> None:
        """Give the joystick to the user, or take it."""
        if allowed:
            self._stands = None
        with suppress(MachineRefused):  # some leave the joystick to the user always
            self._ask(call("EnableUser" if allowed else "DisableUser"))

    # Probes -------------------------------------------------------------------------------------------------------

    def take_stylus(self, probing: Probing, use: StylusUse, *, turn: bool = True) -> None:
        """Have a stylus in use: change the assembly through the rack if needed, turn the head.

        Raises
        ------
        ChangeByHand
            The assembly is not on the machine and has no port.
        """
        assembly = probing.assembly(use.assembly)
        tool, holds_pose = self._tool_of(probing, use)
        self.use = self._stands = None
        if self.mounted != assembly.name or (holds_pose and self._tool != tool):
            known = any(n.name == tool for n in self.names)
            if not known and probing.port_of(assembly.id) is None:
                self._read_tool()
                if self.mounted != assembly.name:
                    raise ChangeByHand(assembly.name, self.mounted)
            else:
                self._change(tool, assembly.name)
        self._ask(call("SetTool", tool))
        self._tool = tool
        if holds_pose:
            self.pose = use.pose
        elif turn and self.pose != use.pose:
            if not self.turns:
                raise DeviceError(
                    f"this machine does not turn its head by command: say which of its tools is {assembly.name} at "
                    f"{use.pose}"
                )
            self._asked_pose = use.pose
            turned = call("GoTo", call("Tool.A", use.pose.tilt_deg), call("Tool.B", use.pose.turn_deg))
            try:
                self._ask(turned, at_most_s=_LONG_S)
            except MachineRefused:
                self.where()  # tells in which pose it was stopped
                raise
            self.pose = use.pose
        nominal = self.pose
        self._take_offset(assembly.stylus(use.stylus, nominal).center)
        if self.pose != nominal:
            raise DeviceError(f"the head is at {self.pose}, not at {nominal} as it was told")
        self.use = self._last_use = use.replace(pose=self.pose)

    def _change(self, tool: str, wanted: str) -> None:
        before = self.mounted
        if self._changes_by_hand(tool):
            raise ChangeByHand(wanted, before)
        try:
            self._ask(call("ChangeTool", tool), at_most_s=_LONG_S)
        except MachineRefused as error:
            self._read_tool()  # it may have been stopped with the other probe on it, or with none
            if error.said.number == m.NOT_IN_RACK:
                raise ChangeByHand(wanted, before) from error
            raise
        self.mounted = wanted
        self.where()  # the head may have been turned for it

    def _changes_by_hand(self, tool: str) -> bool:
        """Ask whether a change would need a hand; servers that cannot say say so when they are to change."""
        with suppress(MachineRefused):
            answers = self._ask(call("GetChangeToolAction", tool))
            return any("MoveMan" in str(value) for values in answers for value in values)
        return False

    def believe_stylus(self, probing: Probing, use: StylusUse) -> None:
        """Take the word of the user for what is on the machine and touches: nothing moves."""
        assembly = probing.assembly(use.assembly)
        self.mounted = assembly.name
        if not self.turns:
            self.pose = use.pose
        with suppress(DeviceError):  # it may not know the tool by any name of ours
            self._ask(call("SetTool", self._tool_of(probing, use)[0]))
        self._take_offset(assembly.stylus(use.stylus, self.pose).center)
        self.use = self._last_use = use.replace(pose=self.pose)

    def _tool_of(self, probing: Probing, use: StylusUse) -> tuple[str, bool]:
        """Return the machine's name of a stylus, and whether the name is of one pose only."""
        assembly = probing.assembly(use.assembly)
        own = [n for n in self.names if (n.assembly, n.stylus) == (assembly.name, use.stylus)]
        for named in (*(n for n in own if n.pose == use.pose), *(n for n in own if n.pose is None)):
            return named.name, named.pose is not None
        plain = f"{assembly.name}:{use.stylus}"
        if self.tools and plain not in self.tools:
            names = ", ".join(self.tools[:8]) + (" ..." if len(self.tools) > 8 else "")
            raise DeviceError(f"this machine has no tool {plain}: say which of its tools it is ({names})")
        return plain, False

    def _assembly_of(self, tool: str) -> str:
        """Return the assembly that one of the machine's tools belongs to; empty when nobody said."""
        self._tool = tool
        return next((n.assembly for n in self.names if n.name == tool), tool.rpartition(":")[0])

    def _take_offset(self, nominal: Vector) -> None:
        """Learn where the server has the tip, beside where the plan has it."""
        self._offset, self._nominal = np.zeros(3), None
        try:
            theirs = self._told(call("GetProp", call("Tool.Offset")), "Tool.Offset")["Tool.Offset"]
            if len(theirs) == 3:
                self._offset = nominal - np.array(theirs)
        except MachineRefused:
            pass  # a server that does not say: its places are taken as they are
        self._nominal = nominal
        self.where()

    def set_speeds(self, **wanted: float) -> None:
        """Set travel_speed, touch_speed (mm/s), approach, search, retract (mm); what is set already is not sent."""
        names = {"travel_speed": "Tool.GoToPar.Speed", "touch_speed": "Tool.PtMeasPar.Speed",
                 "approach": "Tool.PtMeasPar.Approach", "search": "Tool.PtMeasPar.Search",
                 "retract": "Tool.PtMeasPar.Retract"}  # fmt: skip
        for key, value in wanted.items():
            if self._speeds.get(key) != value:
                try:
                    self._ask(call("SetProp", call(names[key], value)))
                except MachineRefused as error:
                    if error.said.number not in _UNKNOWN:  # else it keeps its own
                        raise
                self._speeds[key] = value

    # Moving -------------------------------------------------------------------------------------------------------

    def go_to(self, place: Vector, check: Check | None = None) -> None:
        """Move the tip in use to a place (3,), straight."""
        self._set_out(self._stands if self._stands is not None else self.where(), place)
        x, y, z = (float(v) for v in place - self._offset)
        self._ask(call("GoTo", *place_calls((x, y, z))), check, _LONG_S)
        self._arrived(place)

    def _set_out(self, start: Vector, end: Vector) -> None:
        self._under_way, self._stands = (self.use, start, end), None

    def _arrived(self, place: Vector | None) -> None:
        self._under_way, self._stands = None, place

    def back_out(self, check: Check | None = None) -> None:
        """After a move that did not end well: go back along the way it came, which was free.

        Where somebody has moved the probe meanwhile nothing is done.
        """
        if self._under_way is None:
            return
        use, start, end = self._under_way
        if use is not None and use == self.use:
            here, way = self.where(), end - start
            length = float(np.linalg.norm(way))
            along = float((here - start) @ way) / max(length, 1e-9)
            beside = float(np.linalg.norm((here - start) - along / max(length, 1e-9) * way))
            is_there = -_ON_THE_WAY < along < length + _BEYOND and beside < _ON_THE_WAY
            if is_there and np.linalg.norm(here - start) > _ARRIVED:
                x, y, z = (float(v) for v in start - self._offset)
                self._ask(call("GoTo", *place_calls((x, y, z))), check, _LONG_S)
        self._arrived(None)

    def touch(self, target: Vector, out: Vector, check: Check | None = None) -> MachineTouch:
        """Touch a surface expected at a place (3,) with its outward direction (3,)."""
        before = self._stands if self._stands is not None else self.where()
        self._set_out(before, target)
        x, y, z = (float(v) for v in target - self._offset)
        i, j, k = (float(v) for v in out)
        lines = self._ask(call("PtMeas", *place_calls((x, y, z)), call("IJK", i, j, k)), check, _LONG_S)
        every = [_named(values) for values in lines]
        # Some report where they are while they go back from the touch: its own line is the one with a direction.
        said = [named for named in every if {"X", "Y", "Z"} <= set(named)]
        named = next((n for n in said if "IJK" in n), said[0] if said else {})
        self._arrived(None)  # it has gone back by itself
        if not named:
            raise DeviceError("the machine ended a touch without saying where it was")
        place = np.array([named[n][0] for n in "XYZ"]) + self._offset
        return MachineTouch(place, np.asarray(out))


def _tool_named(values: tuple[Value, ...]) -> str:
    """Return the name of a tool in a line: plain, as text, or in a call."""
    first = values[0] if values else ""
    if isinstance(first, Call):
        first = first.args[0] if first.args and isinstance(first.args[0], str) else first.name
    return first if isinstance(first, str) else ""


def _pose(tilt: float, turn: float, asked: HeadPose | None) -> HeadPose:
    """Return the pose of a head without what its encoders add: the one that it was sent to, where it is there."""
    if asked is not None:
        off = abs((turn - asked.turn_deg + 180) % 360 - 180)
        if abs(tilt - asked.tilt_deg) < _AT_POSE and off < _AT_POSE:
            return asked
    return HeadPose(tilt_deg=round(round(tilt * 20) / 20, 2), turn_deg=round(round(turn * 20) / 20, 2))


def _named(values: tuple[Value, ...]) -> dict[str, tuple[float, ...]]:
    return {v.name: v.numbers() for v in values if isinstance(v, Call) and v.args}
