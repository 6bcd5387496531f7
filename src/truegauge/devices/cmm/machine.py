"""A coordinate measuring machine behind an I++ DME server, in the words of a plan: styli, poses, touches."""

import threading
import time
from collections import deque
from contextlib import suppress
from dataclasses import replace

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import ToolName
from truegauge.devices.cmm.link import ASKED, Check, Link, Named
from truegauge.devices.cmm.tools import assembly_of, changes_by_hand, tool_of
from truegauge.devices.cmm.words import Abilities, ChangeByHand, MachineTouch, named_values, pose_told
from truegauge.devices.ipp import messages as m
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused
from truegauge.devices.ipp.messages import Call, call, place_calls
from truegauge.devices.protocol import DeviceEvent, Lost, PointBlock, Said

_REPORT_S = 0.1
_LONG_S = 600.0  # of a move: a machine may be slow
_UNKNOWN = (m.UNSUPPORTED, m.NO_PROPERTY, 505)  # error numbers: no such command, no such property
_SPEEDS = {
    "travel_speed": "Tool.GoToPar.Speed", "touch_speed": "Tool.PtMeasPar.Speed", "approach": "Tool.PtMeasPar.Approach",
    "search": "Tool.PtMeasPar.Search", "retract": "Tool.PtMeasPar.Retract", "scan_speed": "Tool.ScanPar.Speed",
}  # fmt: skip
_ON_THE_WAY, _ARRIVED, _BEYOND = 1.5, 0.02, 20.0  # mm; a touch searches beyond where it was expected


class Cmm:
    """One machine. Commands come from one thread at a time; what is shown may be asked from any."""

    def __init__(self, host: str, port: int) -> None:
        self.link = Link(host, port)
        self.name = f"CMM at {host}:{port}"
        self._polling = threading.Lock()
        self._hand: deque[MachineTouch] = deque()
        self.position: Vector | None = None  # of the tip in use, as last reported
        self.pose = HeadPose()
        self._asked_pose: HeadPose | None = None  # where the head was sent last
        self.use: StylusUse | None = None
        self.last_use: StylusUse | None = None  # also while the connection is lost
        self.mounted = ""
        self._tool = ""  # the machine's name of what is in use
        self._nominal: Vector | None = None  # where the tip in use is beside the quill, by its description
        self.highest_quill = -np.inf  # where it was seen since it was connected: so high it can go
        self._offset = np.zeros(3)  # from where the server has the tip to where the plan has it
        self._speeds: dict[str, float] = {}
        self._says = ""  # what the machine calls itself
        self.abilities = Abilities()
        self.tools: tuple[str, ...] = ()  # the names of its tools, where it tells them
        self.names: tuple[ToolName, ...] = ()  # what it calls our styli, as it is kept with the machine
        self._alarms: deque[str] = deque()  # what it said that nobody had asked for
        self._under_way: tuple[StylusUse | None, Vector, Vector] | None = None  # the last move, until it has ended well
        self._stands: Vector | None = None  # where it ended

    @property
    def is_connected(self) -> bool:
        """Whether there is a session."""
        return self.link.is_open

    def connect(self) -> None:
        """Open a session (ConnectionLost: there is nothing to connect to)."""
        self.close()
        self._nominal, self.highest_quill = None, -np.inf
        try:
            self.link.open()
            self._read_identity()
            self._read_abilities()
            self._ask_again_for_moves()
            self._read_tool()
            self.link.client.watch()
        except DeviceError:
            self.close()
            raise
        self._speeds = {}
        self.use = self._stands = None

    @property
    def identity(self) -> str:
        """What tells this machine from every other one: what it says of itself, else where it answers."""
        return self._says or f"{self.link.host}:{self.link.port}"

    @property
    def says_who_it_is(self) -> bool:
        """Whether the machine itself tells its identity."""
        return bool(self._says)

    def _read_identity(self) -> None:
        self._says = ""
        with suppress(MachineRefused):  # the protocol has no word for it: only some servers know
            self._says = self.link.text(call("GetProp", call("Machine.Id")), "Machine.Id", ASKED)

    def _ask_again_for_moves(self) -> None:
        try:
            self.link.ask(call("OnMoveReportE", call("Time", _REPORT_S), *self._fields()))
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
        place, knows = (call("X"), call("Y"), call("Z")), self.link.knows
        scans = knows(call("OnScanReport", *place, call("IJK"))) or knows(call("OnScanReport", *place))
        warm, hand = knows(call("GetProp", call("Part.Temperature"))), knows(call("IsUserEnabled"))
        self.abilities = replace(self.abilities, scans=scans, tells_temperature=warm, gives_joystick=hand)
        self.tools = self.link.tool_names()

    @property
    def turns(self) -> bool:
        """Whether it has a head that turns by command."""
        return self.abilities.turns

    def _read_tool(self) -> None:
        self.mounted = ""
        try:
            tool = self.link.text(call("GetProp", call("Tool.Id")), "")
            self.mounted = assembly_of(tool, self.names) if tool else ""
            self._tool = tool or self._tool
            self.where()
        except MachineRefused:
            self.mounted = ""

    def close(self) -> None:
        """End the session."""
        self.link.close()

    def is_homed(self) -> bool:
        """Whether it knows where it is."""
        try:
            return bool(self.link.told(call("IsHomed"), "IsHomed")["IsHomed"][0])
        except MachineRefused:
            return True  # it does not say: it refuses to move where it is not

    def home(self, check: Check | None = None) -> None:
        """Let it find its scales' marks."""
        self.link.ask(call("Home"), check, _LONG_S)

    def temperature(self) -> float | None:
        """Return the temperature of the part, degrees Celsius; None when the machine does not know."""
        try:
            return self.link.told(call("GetProp", call("Part.Temperature")), "Part.Temperature")["Part.Temperature"][0]
        except MachineRefused:
            return None

    def clear_errors(self) -> None:
        """Let it move again after a collision."""
        self.link.ask(call("ClearAllErrors"))

    def has_error(self) -> bool:
        """Whether it stands still because of an error."""
        try:
            return bool(self.link.told(call("GetErrStatusE"), "ErrStatus")["ErrStatus"][0])
        except MachineRefused:
            return False  # it does not say

    def stop(self) -> None:
        """Stop it at once, whatever it does."""
        if self.link.is_open:
            self.link.client.ask(call("AbortE"), at_once=True, at_most_s=5.0)

    def where(self) -> Vector:
        """Ask where the tip in use is, (3,) by its nominal place; keeps the pose too."""
        named = self.link.told(call("Get", *self._fields()), "X", "Y", "Z")
        # What was reported on the way may be sorted in another thread meanwhile: this answer counts.
        return self._take_state(named)

    def _take_state(self, named: Named) -> Vector:
        place = np.array([named[n][0] for n in "XYZ"]) + self._offset
        self.position = place
        if self._nominal is not None:
            self.highest_quill = max(self.highest_quill, float(place[2] - self._nominal[2]))
        if "Tool.A" in named:
            self.pose = pose_told(named["Tool.A"][0], named["Tool.B"][0], self._asked_pose)
        return place

    def poll(self) -> None:
        """Sort what the machine said unasked."""
        with self._polling:
            self._alarms.extend(self.link.alarms())
            for named in self.link.unasked():
                try:
                    if "IJK" in named:
                        place = np.array([named[n][0] for n in "XYZ"]) + self._offset
                        self._hand.append(MachineTouch(place, unit(np.array(named["IJK"]))))
                    elif "X" in named:
                        self._take_state(named)
                except (KeyError, IndexError, ValueError):
                    self.link.client.garbage += 1

    def events(self, *, hand: bool = True) -> list[DeviceEvent]:
        """Return what came since the last call: alarms, and the touches by hand in one block.

        Without `hand` these stay for the one who waits for them, and so does that the connection has ended.
        """
        self.poll()
        found: list[DeviceEvent] = []
        while self._alarms:
            found.append(Said(self._alarms.popleft()))
        if hand:
            touched = [self._hand.popleft() for _ in range(len(self._hand))]
            if touched:
                places, out = np.array([t.place for t in touched]), np.array([t.out for t in touched])
                found.append(PointBlock(places, None, -out))
            elif self.link.is_lost:
                found.append(Lost("the connection to the machine was lost; what was measured is kept"))
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
            self.link.ask(call("EnableUser" if allowed else "DisableUser"))

    def take_stylus(self, probing: Probing, use: StylusUse, *, turn: bool = True) -> None:
        """Have a stylus in use: change the assembly through the rack if needed, turn the head.

        Raises
        ------
        ChangeByHand
            The assembly is not on the machine and has no port.
        """
        assembly = probing.assembly(use.assembly)
        tool, holds_pose = tool_of(assembly.name, use, self.names, self.tools)
        self.use = self._stands = None
        if self.mounted != assembly.name or (holds_pose and self._tool != tool):
            known = any(n.name == tool for n in self.names)
            if not known and probing.port_of(assembly.id) is None:
                self._read_tool()
                if self.mounted != assembly.name:
                    raise ChangeByHand(assembly.name, self.mounted)
            else:
                self._change(tool, assembly.name)
        self.link.ask(call("SetTool", tool))
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
                self.link.ask(turned, at_most_s=_LONG_S)
            except MachineRefused:
                self.where()  # tells in which pose it was stopped
                raise
            self.pose = use.pose
        nominal = self.pose
        self._take_offset(assembly.stylus(use.stylus, nominal).center)
        if self.pose != nominal:
            raise DeviceError(f"the head is at {self.pose}, not at {nominal} as it was told")
        self.use = self.last_use = use.replace(pose=self.pose)

    def _change(self, tool: str, wanted: str) -> None:
        before = self.mounted
        if changes_by_hand(self.link, tool):
            raise ChangeByHand(wanted, before)
        try:
            self.link.ask(call("ChangeTool", tool), at_most_s=_LONG_S)
        except MachineRefused as error:
            self._read_tool()  # it may have been stopped with the other probe on it, or with none
            if error.said.number == m.NOT_IN_RACK:
                raise ChangeByHand(wanted, before) from error
            raise
        self.mounted = wanted
        self.where()  # the head may have been turned for it

    def believe_stylus(self, probing: Probing, use: StylusUse) -> None:
        """Take the word of the user for what is on the machine and touches: nothing moves."""
        assembly = probing.assembly(use.assembly)
        self.mounted = assembly.name
        if not self.turns:
            self.pose = use.pose
        with suppress(DeviceError):  # it may not know the tool by any name of ours
            self.link.ask(call("SetTool", tool_of(assembly.name, use, self.names, self.tools)[0]))
        self._take_offset(assembly.stylus(use.stylus, self.pose).center)
        self.use = self.last_use = use.replace(pose=self.pose)

    def _take_offset(self, nominal: Vector) -> None:
        """Learn where the server has the tip, beside where the plan has it."""
        self._offset, self._nominal = np.zeros(3), None
        try:
            theirs = self.link.told(call("GetProp", call("Tool.Offset")), "Tool.Offset")["Tool.Offset"]
            if len(theirs) == 3:
                self._offset = nominal - np.array(theirs)
        except MachineRefused:
            pass  # a server that does not say: its places are taken as they are
        self._nominal = nominal
        self.where()

    def set_speeds(self, **wanted: float) -> None:
        """Set travel_speed, touch_speed (mm/s), approach, search, retract (mm); what is set already is not sent."""
        for key, value in wanted.items():
            if self._speeds.get(key) != value:
                try:
                    self.link.ask(call("SetProp", call(_SPEEDS[key], value)))
                except MachineRefused as error:
                    if error.said.number not in _UNKNOWN:  # else it keeps its own
                        raise
                self._speeds[key] = value

    def go_to(self, place: Vector, check: Check | None = None) -> None:
        """Move the tip in use to a place (3,), straight."""
        self._set_out(self._stands if self._stands is not None else self.where(), place)
        x, y, z = (float(v) for v in place - self._offset)
        self.link.ask(call("GoTo", *place_calls((x, y, z))), check, _LONG_S)
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
                self.link.ask(call("GoTo", *place_calls((x, y, z))), check, _LONG_S)
        self._arrived(None)

    def touch(self, target: Vector, out: Vector, check: Check | None = None) -> MachineTouch:
        """Touch a surface expected at a place (3,) with its outward direction (3,)."""
        before = self._stands if self._stands is not None else self.where()
        self._set_out(before, target)
        x, y, z = (float(v) for v in target - self._offset)
        i, j, k = (float(v) for v in out)
        lines = self.link.ask(call("PtMeas", *place_calls((x, y, z)), call("IJK", i, j, k)), check, _LONG_S)
        every = [named_values(values) for values in lines]
        # Some report where they are while they go back from the touch: its own line is the one with a direction.
        said = [named for named in every if {"X", "Y", "Z"} <= set(named)]
        named = next((n for n in said if "IJK" in n), said[0] if said else {})
        self._arrived(None)  # it has gone back by itself
        if not named:
            raise DeviceError("the machine ended a touch without saying where it was")
        return MachineTouch(np.array([named[n][0] for n in "XYZ"]) + self._offset, np.asarray(out))

    @property
    def offset(self) -> Vector:
        """From where the server has the tip in use to where the plan has it, (3,)."""
        return self._offset

    def led(self, command: Call, first: Vector, check: Check | None = None) -> list[Named]:
        """Have the tip led by a command that begins at a place (3,), and goes back by itself; returns what it tells."""
        self._set_out(self._stands if self._stands is not None else self.where(), first)
        lines = self.link.ask(command, check, _LONG_S)
        self._arrived(None)
        return [named_values(values) for values in lines]
