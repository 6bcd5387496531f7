"""A run on a machine with made-up steps: what is told, retried, skipped, left out, and gone on with."""

from types import SimpleNamespace

import pytest

from truegauge.core.errors import Cancelled, DeviceError
from truegauge.core.probing.probing import Probing
from truegauge.core.probing.travel import NoWay
from truegauge.core.progress import silent
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused
from truegauge.runs import machine_run
from truegauge.runs.events import SphereTouched, nobody, when
from truegauge.runs.machine_run import MachineRun, Step


class Paces(Step):
    """Goes so many paces; what happens before one of them can be told."""

    def __init__(self, run, name, paces=4, before=None, can_be_left=False):
        self._run, self._name, self.size = run, name, float(paces)
        self.went, self._before, self._can_be_left, self.left = 0, before or {}, can_be_left, ""

    @property
    def name(self):
        return self._name

    @property
    def where(self):
        return f"{self._name}, pace {self.went + 1}"

    @property
    def share(self):
        return self.went / self.size

    def seconds(self):
        return 2.0 * (self.size - self.went)

    def no_way(self, error):
        if not self._can_be_left:
            raise error
        self.left = str(error)

    def do(self):
        while self.went < self.size:
            happens = self._before.pop(self.went, None)
            if happens is not None:
                raise happens
            self._run.check()
            self.went += 1
            self._run.tell((self._name, self.went))


class Machine:
    """Connects again so many times, and backs out before each step."""

    def __init__(self):
        self.connected, self.backed = 0, 0

    def back_out(self, check):
        self.backed += 1


@pytest.fixture
def machine(monkeypatch):
    made = Machine()

    def again(cmm, probing, check):
        assert cmm is made
        made.connected += 1

    monkeypatch.setattr(machine_run, "reconnect", again)
    return made


def made(machine, told, *steps, last=()):
    run = MachineRun(machine, Probing(), told.append)
    run.take(tuple(s(run) for s in steps), tuple(s(run) for s in last))
    return run


def refused(words):
    return MachineRefused(SimpleNamespace(words=words, number=1, severity=2), "GoTo()")


def test_a_step_goes_on_where_it_was_cut_and_tells_nothing_twice(machine):
    told = []
    run = made(machine, told, lambda r: Paces(r, "a", before={2: ConnectionLost("cut")}), lambda r: Paces(r, "b", 2))
    run.run()
    assert told == [("a", 1), ("a", 2), ("a", 3), ("a", 4), ("b", 1), ("b", 2)]
    assert machine.connected == 1
    assert machine.backed == 3
    assert not run.pending


def test_it_gives_up_after_connections_lost_one_after_the_other_and_can_be_gone_on_with(machine):
    run = made(machine, told := [], lambda r: Paces(r, "a", 1))
    lost = [ConnectionLost(str(k)) for k in range(4)]
    go = run.pending[0].do
    run.pending[0].do = lambda: (_ for _ in ()).throw(lost.pop()) if lost else go()
    with pytest.raises(ConnectionLost, match="0"):
        run.run()
    assert machine.connected == 3
    run.run()
    assert told == [("a", 1)]


def test_a_refusal_says_where_and_is_gone_on_from(machine):
    run = made(machine, told := [], lambda r: Paces(r, "bore", before={1: refused("too far")}))
    with pytest.raises(DeviceError, match="bore, pace 2: too far"):
        run.run()
    run.run()
    assert [pace for _, pace in told] == [1, 2, 3, 4]


def test_what_no_way_leads_to_is_left_out_where_it_may_be(machine):
    run = made(machine, told := [], lambda r: Paces(r, "a", before={1: NoWay("walls")}, can_be_left=True),
               lambda r: Paces(r, "b", 1))  # fmt: skip
    first = run.pending[0]
    run.run()
    assert first.left == "walls"
    assert told == [("a", 1), ("b", 1)]
    strict = made(machine, told := [], lambda r: Paces(r, "a", before={0: NoWay("walls")}), lambda r: Paces(r, "b", 1))
    with pytest.raises(NoWay):
        strict.run()
    assert len(strict.pending) == 2
    assert told == []


def test_a_skipped_step_counts_as_done_and_the_last_ones_are_never_skipped(machine):
    run = made(machine, told := [], lambda r: Paces(r, "a", 3, before={1: refused("no")}), lambda r: Paces(r, "b", 1),
               last=(lambda r: Paces(r, "away", 1),))  # fmt: skip
    assert run.seconds() == 8.0
    shares = []
    with pytest.raises(DeviceError):
        run.run_with(lambda share, text="", /: shares.append((share, text)))
    run.check()
    assert shares[-1] == (0.25, "a")
    run.skip()
    assert run.seconds() == 2.0
    run.check()
    assert shares[-1] == (0.75, "b")
    run.run_with(silent)
    run.skip()
    assert told == [("a", 1), ("b", 1), ("away", 1)]


def test_it_can_be_stopped_between_any_two_paces(machine):
    run = made(machine, told := [], lambda r: Paces(r, "a"))

    def stop(share, text="", /):
        if share >= 0.5:
            raise Cancelled

    with pytest.raises(Cancelled):
        run.run_with(stop)
    assert len(told) == 2
    run.run_with(silent)
    assert len(told) == 4


def test_who_listens_to_one_kind_hears_only_that():
    heard = []
    tell = when(SphereTouched, heard.append)
    event = SphereTouched(use=None, done=1, of=5)
    tell(event)
    tell("something else")
    nobody(event)
    assert heard == [event]
