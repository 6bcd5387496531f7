"""The I++ DME server of the stand-in: listens, and gives the machine to one program at a time."""

import logging
import socket
import threading

from truegauge.devices.cmm_sim.session import Session
from truegauge.devices.cmm_sim.words import SensorTouch
from truegauge.devices.cmm_sim.world import CmmWorld

log = logging.getLogger(__name__)
_GREETED_S = 10.0  # in which who connects must open a session
_QUIET_S = 60.0  # of silence after which a session ends when somebody else asks for the machine
_ENDING_S = 3.0  # in which a session that was cut ends: whose it was connects again at once
_WAITING = 16  # connections


class IppServer:
    """Listens on a port of this computer until it is closed."""

    def __init__(self, world: CmmWorld, port: int = 0, host: str = "127.0.0.1") -> None:
        self.world = world
        self._listening = socket.create_server((host, port))
        self.port = int(self._listening.getsockname()[1])
        self.messages = 0
        self.powered = True
        self.greeted_s, self.quiet_s, self.ending_s = _GREETED_S, _QUIET_S, _ENDING_S
        self._session: Session | None = None
        self._free = threading.Condition()  # told when a session ends
        self._places = threading.BoundedSemaphore(_WAITING)
        self._closing = threading.Event()
        self._thread = threading.Thread(target=self._serve, name="ipp-server", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Stop listening, and the machine."""
        self._closing.set()
        self.world.drive.stop.set()
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
            session.hand_touch(touch)

    @property
    def user_enabled(self) -> bool:
        """Whether the user may move the machine by hand: always while no program is connected."""
        return self._session is None or self._session.user_enabled

    def power_off(self) -> None:
        """Lose the power: the connection is cut, and the machine does not know where it is afterwards."""
        self.powered = False
        self.world.homed = False
        self.world.drive.stop.set()
        if self._session is not None:
            self._session.cut()

    def power_on(self) -> None:
        """Switch it on again."""
        self.world.drive.stop.clear()
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
        session = Session(self, connection)
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

    def _admit(self, session: "Session") -> bool:
        """Give the machine to who asks for it, unless somebody has it who still says something."""
        with self._free:
            holder = self._session
            if holder is not None and holder.silent_s() > self.quiet_s:
                log.warning("a session that said nothing for %.0f s ends: somebody else asks", holder.silent_s())
                holder.cut()
            if not self._free.wait_for(lambda: self._session is None or self._closing.is_set(), self.ending_s):
                return False
            if self._closing.is_set() or not self.powered:
                session.cut()
                return False
            self._session = session
            return True
