"""A run on a machine: one step after the other; stopped, cut off or skipped, it goes on where it was."""

import contextlib
from collections.abc import Callable

from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import Probing
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.travel import NoWay
from truegauge.core.progress import Progress, silent
from truegauge.devices.cmm.again import reconnect
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused
from truegauge.runs.events import Tell
from truegauge.runs.moving import Moving

_CONNECTIONS = 3  # that may be lost one after the other


class Step:
    """One thing of a run. It keeps what it has done: `do` is called again after the machine stood."""

    size = 1.0  # of the whole, for the progress

    @property
    def name(self) -> str:
        """What is done, for who looks on."""
        return ""

    @property
    def where(self) -> str:
        """What the machine is at, for who reads why it stands."""
        return self.name

    @property
    def share(self) -> float:
        """How much of it is done, 0 to 1."""
        return 0.0

    def do(self) -> None:
        """Do what is left of it.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text.
        """
        raise NotImplementedError

    def skip(self) -> None:
        """Leave it out; raises `DeviceError` when what comes after needs it."""

    def no_way(self, error: NoWay) -> None:
        """Leave it out because no way leads there; raises the error again when nothing can go on without it."""
        raise error

    def seconds(self) -> float:
        """Return how long it takes, roughly."""
        return 0.0


class MachineRun:
    """Steps in their order, then the last ones, which cannot be skipped. What happens is told as it happens."""

    def __init__(self, cmm: Cmm, probing: Probing, tell: Tell) -> None:
        self.cmm, self.probing, self.tell = cmm, probing, tell
        self.progress: Progress = silent
        self.moving = Moving(cmm, self.check)
        self.pending: tuple[Step, ...] = ()
        self._last: tuple[Step, ...] = ()
        self._size = self._done = 0.0

    def take(self, steps: tuple[Step, ...], last: tuple[Step, ...]) -> None:
        """Have these steps to do."""
        self.pending, self._last = steps, last
        self._size, self._done = sum(s.size for s in steps), 0.0

    def seconds(self) -> float:
        """Return how long the rest takes, roughly."""
        return sum(s.seconds() for s in self.pending)

    def skip(self) -> None:
        """Leave the step that it stands at; the others go on.

        Raises
        ------
        DeviceError
            The others need it.
        """
        if self.pending:
            self.pending[0].skip()
            self._end()

    def check(self) -> None:
        """Tell how far it is; raises when it was cancelled."""
        now = self.pending[0] if self.pending else None
        done = self._done if now is None else self._done + now.size * now.share
        self.progress(min(1.0, done / max(1.0, self._size)), "" if now is None else now.name)

    def run_with(self, progress: Progress) -> None:
        """Do what is left, telling how far it is."""
        self.progress = progress
        self.run()

    def run(self) -> None:
        """Do what is left; may be called again after it raised.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text. What was done was told.
        """
        lost = 0
        while self.pending or self._last:
            step = (self.pending or self._last)[0]
            try:
                self.check()
                self.cmm.back_out(self.check)
                step.do()
                self._end()
                lost = 0
            except ConnectionLost:
                lost += 1
                if lost > _CONNECTIONS:
                    raise
                reconnect(self.cmm, self.probing, self.check)
            except NoWay as error:
                step.no_way(error)
                self._end()
            except MachineRefused as error:
                raise DeviceError(f"{step.where}: {error.said.words}") from error

    def _end(self) -> None:
        if self.pending:
            self._done += self.pending[0].size
            self.pending = self.pending[1:]
        else:
            self._last = self._last[1:]


class GoAway(Step):
    """Up and away from everything, at the end."""

    def __init__(self, run: MachineRun, room: Callable[[], ProbeRoom], where: str = "on the way up") -> None:
        self._run, self._room, self._where = run, room, where

    @property
    def where(self) -> str:
        """What the machine is at."""
        return self._where

    def do(self) -> None:
        """Go up."""
        self._run.moving.up(self._room())


def run_until_it_stands(run: MachineRun, progress: Progress, *, again: bool = False) -> str:
    """Do what is left of a run; returns why it stands, empty when it is done.

    When it goes on `again` an error that stands is cleared: it was told with the way to go on. A new run clears none.
    However it ends, the user gets the joystick back: a probe that stands somewhere must be freed by hand.
    """
    try:
        with contextlib.suppress(ConnectionLost):  # the job connects again by itself
            if again and run.cmm.has_error():
                run.cmm.clear_errors()
            run.cmm.let_user_move(False)
        run.run_with(progress)
    except DeviceError as error:
        return str(error)
    finally:
        with contextlib.suppress(DeviceError):
            run.cmm.let_user_move(True)
    return ""
