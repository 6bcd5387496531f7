"""The I++ DME server of the stand-in: one session at a time, commands one after the other, stops and states at once."""

import logging
import queue
import socket
import threading
import time

import numpy as np

from truegauge.core.probing.assembly import HeadPose
from truegauge.devices.cmm_sim.scanning import SCANS, scan_path
from truegauge.devices.cmm_sim.settings import LINE_FAULTS
from truegauge.devices.cmm_sim.world import CmmWorld, MachineStopped, SensorTouch
from truegauge.devices.ipp.messages import (
    ABORTED,
    ARGUMENT,
    LONGEST,
    STATE,
    SYNTAX,
    UNASKED,
    UNSUPPORTED,
    WRONG_TAG,
    Call,
    Command,
    ErrorSaid,
    ProtocolError,
    Value,
    Word,
    call,
    place_calls,
    read_command,
    written,
)

log = logging.getLogger(__name__)
VERSION = "1.7"
_REPORT_S = 0.04
_GREETED_S = 10.0  # in which who connects must open a session
_QUIET_S = 60.0  # of silence after which a session ends when somebody else asks for the machine
_ENDING_S = 3.0  # in which a session that was cut ends: whose it was connects again at once
_WAITING = 16  # connections
_SPEEDS = {
    "Tool.GoToPar.Speed": "travel_speed", "Tool.GoToPar.Accel": "acceleration", "Tool.PtMeasPar.Speed": "touch_speed",
    "Tool.PtMeasPar.Approach": "approach", "Tool.PtMeasPar.Search": "search", "Tool.PtMeasPar.Retract": "retract",
}  # fmt: skip
_AT_ONCE = ("AbortE", "GetErrStatusE", "GetPropE", "OnMoveReportE")
_MOVES = ("GoTo", "PtMeas", "ChangeTool", "Home", *SCANS)
_CLEARING = ("ClearAllErrors", "EndSession")
_MOST = {"travel_speed": 600.0, "acceleration": 5000.0, "touch_speed": 50.0}


class IppServer:
    """Listens on a port of this computer until it is closed."""

    def __init__(self, world: CmmWorld, port: int = 0, host: str = "127.0.0.1") -> None:
        self.world = world
        self._listening = socket.create_server((host, port))
        self.port = int(self._listening.getsockname()[1])
        self.messages = 0
        self.powered = True
        self.greeted_s, self.quiet_s = _GREETED_S, _QUIET_S
        self._session: _Session | None = None
        self._free = threading.Condition()  # told when a session ends
        self._places = threading.BoundedSemaphore(_WAITING)
        self._closing = threading.Event()
        self._thread = threading.Thread(target=self._serve, name="ipp-server", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Stop listening, and the machine."""
        self._closing.set()
        self.world.stop.set()
        # A thread that waits for a connection is woken by one: closing the socket alone would leave it waiting.
        try:
            socket.create_connection(("127.0.0.1", self.port), timeout=0.5).close()
        except OSError:
            log.debug("nobody was listening any more")
        self._listening.close()
        if self._session is not None:
            self._session.cut()
        if threading.current_thread() is not self._thread:
            self._thread.join(3.0)

    def hand_touch(self, touch: SensorTouch) -> None:
        """Report a touch made by joystick."""
        session = self._session
        if session is not None and session.user_enabled:
            session.send(UNASKED, "#", written(touch_values(touch)))

    @property
    def user_enabled(self) -> bool:
        """Whether the user may move the machine by hand: always while no program is connected."""
        return self._session is None or self._session.user_enabled

    def power_off(self) -> None:
        """Lose the power: the connection is cut, and the machine does not know where it is afterwards."""
        self.powered = False
        self.world.homed = False
        self.world.stop.set()
        if self._session is not None:
            self._session.cut()

    def power_on(self) -> None:
        """Switch it on again."""
        self.world.stop.clear()
        self.powered = True

    def _serve(self) -> None:
        while not self._closing.is_set():
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            if self._closing.is_set() or not self.powered or not self._places.acquire(blocking=False):
                connection.close()
                continue
            threading.Thread(target=self._talk, args=(connection,), name="ipp-session", daemon=True).start()

    def _talk(self, connection: socket.socket) -> None:
        session = _Session(self, connection)
        try:
            if self._admit(session):
                session.run()
            else:
                session.turn_away()
        finally:
            with self._free:
                if self._session is session:
                    self._session = None
                    self._free.notify_all()
            connection.close()
            self._places.release()

    def _admit(self, session: "_Session") -> bool:
        """Give the machine to who asks for it, unless somebody has it who still says something."""
        with self._free:
            holder = self._session
            if holder is not None and holder.silent_s() > self.quiet_s:
                log.warning("a session that said nothing for %.0f s ends: somebody else asks", holder.silent_s())
                holder.cut()
            if not self._free.wait_for(lambda: self._session is None or self._closing.is_set(), _ENDING_S):
                return False
            if self._closing.is_set() or not self.powered:
                session.cut()
                return False
            self._session = session
            return True


class _Session:
    """One connection: its reader takes commands, its worker does them."""

    def __init__(self, server: IppServer, connection: socket.socket) -> None:
        self._server, self._world, self._connection = server, server.world, connection
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._work: queue.SimpleQueue[tuple[int, Command] | None] = queue.SimpleQueue()
        self._taken = self._ended = 0  # commands
        self._aborted: int | None = None  # the last one that was taken before it was aborted
        self._sending = threading.Lock()
        self._late: tuple[int, float] | None = None
        self.user_enabled = True
        self._open = False
        self._report: tuple[str, float] | None = None  # of the moving machine: tag, every how many s
        self._reported_at = 0.0
        self._touch_fields: tuple[str, ...] = ("X", "Y", "Z", "IJK")
        self._cut = threading.Event()
        self._heard_at = self._no_session_since = time.monotonic()

    def silent_s(self) -> float:
        """Return for how long nothing was heard, s."""
        return time.monotonic() - self._heard_at

    def turn_away(self) -> None:
        """Answer the first line of somebody who cannot have the machine now."""
        if self._cut.is_set():
            return
        self._connection.settimeout(self._server.greeted_s)
        try:
            line = self._connection.recv(LONGEST).split(b"\n")[0].decode("ascii", "replace").strip()
            tag = read_command(line).tag
        except (OSError, ProtocolError):
            return
        self.send(tag, "&")
        self._refuse(tag, STATE, 1, "server", "another program is connected: the machine serves one at a time")

    def run(self) -> None:
        """Serve until the connection ends, or who connected says nothing without ever opening a session."""
        # Neither may who does not read what is sent hold the machine.
        self._connection.settimeout(self._server.greeted_s)
        self._world.moved = self._on_moved
        worker = threading.Thread(target=self._worker, name="ipp-machine", daemon=True)
        worker.start()
        rest = b""
        while not self._cut.is_set():
            if not self._open and time.monotonic() - self._no_session_since > self._server.greeted_s:
                break
            try:
                piece = self._connection.recv(65536)
            except TimeoutError:
                continue
            except OSError:
                break
            if not piece:
                break
            self._heard_at = time.monotonic()
            rest += piece
            *lines, rest = rest.split(b"\n")
            if len(rest) > LONGEST:
                break
            for line in lines:
                self._take(line.decode("ascii", "replace").strip())
        self.cut()
        self._work.put(None)
        self._world.stop.set()  # nobody is there to stop it any more
        worker.join()
        self._world.stop.clear()
        self._world.moved = lambda: None

    def cut(self) -> None:
        """End the connection at once."""
        self._cut.set()
        try:
            self._connection.shutdown(socket.SHUT_RDWR)
        except OSError:
            log.debug("already cut")

    # Lines --------------------------------------------------------------------------------------------------------

    def send(self, tag: str, kind: str, text: str = "") -> None:
        """Send a line; it may meet one of the faults of a line."""
        line = f"{tag} {kind} {text}".rstrip() + "\r\n"
        with self._sending:
            if self._cut.is_set():
                return
            server = self._server
            server.messages += 1
            fault = self._world.faults.take(LINE_FAULTS, server.messages)
            data = line.encode("ascii", "replace")
            if fault is not None and fault.name == "garbage":
                data = bytes((b ^ 0x55) | 0x80 if 8 <= k < len(data) - 2 else b for k, b in enumerate(data))
            elif fault is not None and fault.name == "late":
                time.sleep(fault.size)
            try:
                if fault is not None and fault.name == "cut":
                    self._connection.sendall(data[: len(data) // 2])
                    self.cut()
                elif fault is not None and fault.name == "power":
                    server.power_off()
                else:
                    self._connection.sendall(data)
            except OSError:
                self._cut.set()

    def _take(self, line: str) -> None:
        if not line:
            return
        try:
            command = read_command(line)
        except ProtocolError as error:
            tag = line[:5] if len(line) >= 5 and line[:5].isalnum() else UNASKED
            self._refuse(tag, SYNTAX, 1, "server", str(error))
            return
        if command.tag.startswith("E") != (command.call.name in _AT_ONCE):
            suits = "tags that begin with E" if command.call.name in _AT_ONCE else "tags of five digits"
            self._refuse(command.tag, WRONG_TAG, 1, command.call.name, f"{command.call.name} has {suits}")
            return
        self.send(command.tag, "&")
        if command.tag.startswith("E"):
            self._do(command)
        else:
            self._taken += 1
            self._work.put((self._taken, command))

    def _worker(self) -> None:
        while (item := self._work.get()) is not None:
            number, command = item
            name = command.call.name
            if self._aborted is not None and (number <= self._aborted or name in _MOVES) and name not in _CLEARING:
                text = "the transaction was aborted: send ClearAllErrors() first"
                self._refuse(command.tag, ABORTED, 1, name, text)
            elif not self._cut.is_set():
                self._do(command)
            self._ended = number
            if self._aborted is not None and number >= self._aborted:
                self._world.stop.clear()

    def _do(self, command: Command) -> None:
        name = command.call.name
        try:
            handler = getattr(self, f"_on_{name}", None)
            if name in SCANS:
                self._scan(command)
            elif handler is None:
                raise MachineStopped(UNSUPPORTED, f"{name} is not known here", 0)
            elif not self._open and name not in ("StartSession", "GetDMEVersion", "AbortE", "EndSession"):
                raise MachineStopped(STATE, "there is no session: send StartSession() first", 0)
            else:
                if command.tag.startswith("E"):
                    answer = handler(command)
                else:
                    with self._world.busy:
                        answer = handler(command)
                for values in answer or ():
                    self.send(command.tag, "#", written(values))
        except MachineStopped as stopped:
            self._refuse(command.tag, stopped.number, stopped.severity, name, stopped.text)
            return
        except (ProtocolError, LookupError, TypeError, ValueError, ArithmeticError) as error:
            self._refuse(command.tag, ARGUMENT, 0, name, f"the arguments cannot be used: {error}")
            return
        self.send(command.tag, "%")

    def _refuse(self, tag: str, number: int, severity: int, source: str, text: str) -> None:
        self.send(tag, "!", str(ErrorSaid(severity, number, source, text)))
        self.send(tag, "%")

    # Session ------------------------------------------------------------------------------------------------------

    def _on_StartSession(self, command: Command) -> None:
        self._open, self.user_enabled = True, True

    def _on_EndSession(self, command: Command) -> None:
        self._open, self._report = False, None
        self._no_session_since = time.monotonic()

    def _on_GetDMEVersion(self, command: Command) -> list[tuple[Value, ...]]:
        return [(call("DMEVersion", VERSION),)]

    def _on_GetMachineClass(self, command: Command) -> list[tuple[Value, ...]]:
        return [(call("GetMachineClass", "CartCMM"),)]

    def _on_AbortE(self, command: Command) -> None:
        if self._ended < self._taken:  # where nothing goes on, there is nothing to stop
            self._aborted = self._taken
            self._world.stop.set()

    def _on_GetErrStatusE(self, command: Command) -> list[tuple[Value, ...]]:
        return [(call("ErrStatus", 1 if self._world.fault_text or self._aborted is not None else 0),)]

    def _on_GetErrorInfo(self, command: Command) -> list[tuple[Value, ...]]:
        return [(self._world.fault_text or "no error",)]

    def _on_ClearAllErrors(self, command: Command) -> None:
        self._world.fault_text, self._aborted = "", None

    def _on_Home(self, command: Command) -> None:
        self._world.home()

    def _on_IsHomed(self, command: Command) -> list[tuple[Value, ...]]:
        return [(call("IsHomed", float(self._world.homed)),)]

    def _on_EnableUser(self, command: Command) -> None:
        self.user_enabled = True

    def _on_DisableUser(self, command: Command) -> None:
        self.user_enabled = False

    def _on_IsUserEnabled(self, command: Command) -> list[tuple[Value, ...]]:
        return [(call("IsUserEnabled", float(self.user_enabled)),)]

    def _on_SetCoordSystem(self, command: Command) -> None:
        if not command.call.args or command.call.args[0] != Call("MachineCsy"):
            raise MachineStopped(ARGUMENT, "only MachineCsy is known here", 0)

    def _on_GetCoordSystem(self, command: Command) -> list[tuple[Value, ...]]:
        return [(Call("CoordSystem", (Word("MachineCsy"),)),)]

    # Reports ------------------------------------------------------------------------------------------------------

    def _on_OnPtMeasReport(self, command: Command) -> None:
        names = tuple(a.name for a in command.call.args if isinstance(a, Call))
        if not {"X", "Y", "Z"} <= set(names) or set(names) - {"X", "Y", "Z", "IJK", "Tool.A", "Tool.B"}:
            raise MachineStopped(ARGUMENT, "X, Y, Z and possibly IJK, Tool.A, Tool.B can be reported", 0)
        self._touch_fields = names

    def _on_OnMoveReportE(self, command: Command) -> None:
        every = [a.args[0] for a in command.call.args if isinstance(a, Call) and a.name == "Time"]
        seconds = float(every[0]) if every and isinstance(every[0], float) else _REPORT_S
        self._report = (command.tag, max(seconds, _REPORT_S))

    def _on_StopDaemon(self, command: Command) -> None:
        self._report = None

    def _on_StopAllDaemons(self, command: Command) -> None:
        self._report = None

    def _on_moved(self) -> None:
        now = time.monotonic()
        if self._report is not None and now - self._reported_at >= self._report[1]:
            self._reported_at = now
            self.send(self._report[0], "#", written(self._state_values()))

    def _state_values(self) -> tuple[Value, ...]:
        pose = self._world.probe.pose if self._world.probe else HeadPose()
        x, y, z = (float(v) for v in self._world.place())
        return (*place_calls((x, y, z)), call("Tool.A", pose.tilt_deg), call("Tool.B", pose.turn_deg))

    # Moving and touching --------------------------------------------------------------------------------------------

    def _on_Get(self, command: Command) -> list[tuple[Value, ...]]:
        wanted = [a.name for a in command.call.args if isinstance(a, Call)]
        known = {v.name: v for v in self._state_values() if isinstance(v, Call)}
        known["Tool.Id"] = call("Tool.Id", self._tool_name())
        missing = [w for w in wanted if w not in known]
        if missing or not wanted:
            raise MachineStopped(ARGUMENT, f"{', '.join(missing) or 'nothing'} cannot be asked for", 0)
        return [tuple(known[w] for w in wanted)]

    def _on_GoTo(self, command: Command) -> None:
        given = _named(command.call)
        place = self._world.place()
        for k, name in enumerate("XYZ"):
            if name in given:
                place[k] = given[name][0]
        pose = None
        if "Tool.A" in given or "Tool.B" in given:
            now = self._world.probe.pose if self._world.probe else HeadPose()
            pose = HeadPose(
                tilt_deg=given.get("Tool.A", (now.tilt_deg,))[0], turn_deg=given.get("Tool.B", (now.turn_deg,))[0]
            )
            if not set(given) & {"X", "Y", "Z"}:  # only the head turns; the quill stays
                self._world.go_to_pose(pose)
                return
        self._world.go_to(place, pose)

    def _on_PtMeas(self, command: Command) -> list[tuple[Value, ...]]:
        given = _named(command.call)
        if not {"X", "Y", "Z"} <= set(given):
            raise MachineStopped(ARGUMENT, "X, Y and Z are needed", 0)
        target = np.array([given[n][0] for n in "XYZ"])
        # Without a direction it comes straight from where it stands.
        out = np.array(given.get("IJK", tuple(self._world.place() - target)))
        if out.shape != (3,) or not np.linalg.norm(out) > 1e-6:
            raise MachineStopped(ARGUMENT, "IJK is a direction of three numbers", 0)
        touch = self._world.measure(target, out / np.linalg.norm(out))
        return [self._touch_values(touch)]

    def _touch_values(self, touch: SensorTouch) -> tuple[Value, ...]:
        every = {v.name: v for v in (*touch_values(touch), *self._state_values()[3:]) if isinstance(v, Call)}
        return tuple(every[n] for n in self._touch_fields)

    def _scan(self, command: Command) -> None:
        if not self._open:
            raise MachineStopped(STATE, "there is no session: send StartSession() first", 0)
        with self._world.busy:
            self._scan_along(command)

    def _scan_along(self, command: Command) -> None:
        self._world.ready()
        for target, normal in scan_path(command.call):
            touch = self._world.measure_along(target, normal)
            self.send(command.tag, "#", written(self._touch_values(touch)))
        self._world.leave_surface()

    # Tools --------------------------------------------------------------------------------------------------------

    def _tool_name(self) -> str:
        probe = self._world.probe
        return f"{probe.assembly.name}:{self._world.stylus_id}" if probe is not None else ""

    def _on_EnumTools(self, command: Command) -> list[tuple[Value, ...]]:
        return [(call("Tool", f"{a.name}:{s.id}"),) for a in self._world.assemblies.values() for s in a.styli()]

    def _on_ChangeTool(self, command: Command) -> None:
        assembly, stylus = self._named_tool(command)
        self._world.change(assembly)
        self._world.stylus_id = stylus

    def _on_SetTool(self, command: Command) -> None:
        assembly, stylus = self._named_tool(command)
        if self._world.probe is None or self._world.probe.assembly.name != assembly:
            raise MachineStopped(STATE, f"{assembly} is not on the machine", 1)
        self._world.stylus_id = stylus

    _on_FindTool = _on_SetTool

    def _named_tool(self, command: Command) -> tuple[str, str]:
        name = command.call.args[0]
        assembly, _, stylus = str(name).rpartition(":")
        known = self._world.assemblies.get(assembly)
        if not isinstance(name, str) or known is None or all(s.id != stylus for s in known.styli()):
            raise MachineStopped(1500, f"there is no tool {name}", 1)
        return assembly, stylus

    # Properties ---------------------------------------------------------------------------------------------------

    def _on_GetProp(self, command: Command) -> list[tuple[Value, ...]]:
        return [(self._property(a.name),) for a in command.call.args if isinstance(a, Call)]

    _on_GetPropE = _on_GetProp

    def _on_EnumAllProp(self, command: Command) -> list[tuple[Value, ...]]:
        return [(self._property(n),) for n in (*_SPEEDS, "Tool.Id", "Tool.Radius", "Tool.Offset", "Part.Temperature")]

    def _property(self, name: str) -> Call:
        world = self._world
        if name in _SPEEDS:
            return call(name, float(getattr(world, _SPEEDS[name])))
        if name == "Tool.Id":
            return call(name, self._tool_name())
        if name in ("Tool.Radius", "Tool.Offset"):
            if world.probe is None:
                raise MachineStopped(1500, "no tool is on the machine", 1)
            tip = world.probe.assembly.stylus(world.stylus_id, world.probe.pose)
            return call(name, tip.radius) if name == "Tool.Radius" else call(name, *map(float, tip.center))
        if name == "Machine.Id":
            return Call(name, (f"stand-in {world.seed}",))
        if name in ("Part.Temperature", "Machine.Temperature"):
            return call(name, float(world.temperature_c))
        raise MachineStopped(ARGUMENT, f"there is no property {name}", 0)

    def _on_SetProp(self, command: Command) -> None:
        for name, values in _named(command.call).items():
            if name not in _SPEEDS:
                raise MachineStopped(ARGUMENT, f"{name} cannot be set", 0)
            own = _SPEEDS[name]
            if not 0 < values[0] <= _MOST.get(own, 100.0):
                raise MachineStopped(ARGUMENT, f"{name} goes from 0 to {_MOST.get(own, 100.0):g}", 0)
            setattr(self._world, own, values[0])


def _named(given: Call) -> dict[str, tuple[float, ...]]:
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
