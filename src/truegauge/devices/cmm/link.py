"""The line to the server of a machine: sessions one after another, questions for numbers, what comes unasked."""

from collections.abc import Callable, Iterator
from contextlib import suppress

from truegauge.core.errors import DeviceError
from truegauge.devices.cmm.words import named_values, tool_named
from truegauge.devices.ipp.client import ConnectionLost, IppClient, MachineRefused
from truegauge.devices.ipp.messages import Call, Value, call

Check = Callable[[], None]
Named = dict[str, tuple[float, ...]]
ASKED = 3  # times, when a line of the answer cannot be read


class Link:
    """Questions come from one thread at a time."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.answer_s: float | None = None
        self._client: IppClient | None = None

    @property
    def client(self) -> IppClient:
        """The session (ConnectionLost: there is none)."""
        if self._client is None:
            raise ConnectionLost("the machine is not connected")
        return self._client

    @property
    def is_open(self) -> bool:
        """Whether there is a session."""
        return self._client is not None and not self._client.is_lost

    @property
    def is_lost(self) -> bool:
        """Whether there was one, and it has ended by itself."""
        return self._client is not None and self._client.is_lost

    @property
    def garbage(self) -> int:
        """How many lines of the machine could not be read."""
        return 0 if self._client is None else self._client.garbage

    def open(self) -> None:
        """Open a session (ConnectionLost: there is nothing to connect to)."""
        client = IppClient(self.host, self.port)
        if self.answer_s is not None:
            client.answer_s = self.answer_s
        self._client = client
        client.ask(call("StartSession"))
        with suppress(MachineRefused):  # some always say all
            client.ask(call("OnPtMeasReport", call("X"), call("Y"), call("Z"), call("IJK")))

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

    def ask(self, command: Call, check: Check | None = None, at_most_s: float = 60.0) -> list[tuple[Value, ...]]:
        """Send a command and wait for its end; returns the values of each line (ConnectionLost, MachineRefused)."""
        return self.client.ask(command, check=check, at_most_s=at_most_s)

    def knows(self, command: Call) -> bool:
        """Tell whether a harmless command is taken."""
        try:
            self.ask(command)
        except MachineRefused:
            return False
        return True

    def told(self, command: Call, *names: str) -> Named:
        """Ask for numbers by their names; again where a line of the answer could not be read.

        Raises
        ------
        ConnectionLost
            It cannot be read however often it is asked.
        """
        for _ in range(ASKED):
            for values in reversed(self.ask(command)):
                named = named_values(values)
                if all(named.get(n) for n in names):
                    return named
        raise ConnectionLost(f"the machine answers {command.name}, but does not say {' and '.join(names)}")

    def text(self, command: Call, name: str, times: int = 1) -> str:
        """Ask for a text, by any name without one; empty where it does not say (MachineRefused: it does not know)."""
        for _ in range(times):  # a line may be garbled
            for value in (v for values in self.ask(command) for v in values):
                if isinstance(value, Call) and name in ("", value.name) and value.args:
                    return str(value.args[0])
        return ""

    def tool_names(self) -> tuple[str, ...]:
        """Ask for the names of its tools; none where it does not tell."""
        with suppress(MachineRefused):
            return tuple(name for values in self.ask(call("EnumTools")) if (name := tool_named(values)))
        return ()

    def alarms(self) -> Iterator[str]:
        """What it says that nobody asked for, since the last time."""
        client = self._client
        while client is not None and not client.alarms.empty():
            yield client.alarms.get_nowait().words

    def unasked(self) -> Iterator[Named]:
        """Numbers by their names that came unasked since the last time: reports of moves, touches by hand."""
        client = self._client
        while client is not None and not client.unasked.empty():
            values = client.unasked.get_nowait()
            first = values[0] if len(values) == 1 and isinstance(values[0], Call) else None
            if first is not None and first.name == "KeyPress":
                continue  # a key of the joystick box: nothing is done by keys here
            if first is not None and first.name == "PtMeas":
                values = first.args  # an event: the touch stands in a call of its own
            try:
                yield named_values(values)
            except (KeyError, IndexError, ValueError, DeviceError):
                client.garbage += 1
