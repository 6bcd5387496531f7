"""A series of parts: each that is put down is measured, logged and counted once, then the next."""

from __future__ import annotations

import collections
from dataclasses import dataclass
from math import degrees
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.silhouette.camera_model import now
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.errors import FormatError, TrueGaugeError
from truegauge.core.silhouette.measuring import Measured
from truegauge.core.tolerancing.judgement import State
from truegauge.formats.sample_file import write_sample
from truegauge.formats.series_log import Cell, SeriesLog

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.live import Seen
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.core.evaluation.results import Evaluation, Result

Verdict = Literal["good", "bad", "incomplete"]
KEPT = 50  # parts that statistics are of
_ABOUT = ("time", "serial", "operator", "batch", "plan", "revision", "what", "of", "verdict")


@dataclass(frozen=True, slots=True)
class Counted:
    """A part of the series: its row in the log (0 without one), what it is called, and what came of it."""

    row: int
    serial: str
    verdict: Verdict
    aside: bool = False


def verdict_of(results: tuple[Result, ...]) -> Verdict:
    """Return what results say of a part as a whole."""
    judged = [r for r in results if not r.characteristic.basic]
    states = {r.state for r in judged}
    if State.OUTSIDE in states or State.UNDECIDED in states:
        return "bad"
    return "incomplete" if State.NOT_MEASURED in states or not judged else "good"


class SeriesModel(QObject):
    """Signals: `changed`, `sounded` (with a verdict, when a part was judged)."""

    changed = Signal()
    sounded = Signal(str)

    def __init__(self, model: SilhouetteModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._model, self._session = model, model.session
        self.is_running = False
        self.sound = True
        self.batch = self.operator = ""
        self.serial = "1"  # of the next part
        self.log_path: Path | None = None
        self.samples: Path | None = None  # folder that samples with their pictures go into
        self.parts: list[Counted] = []
        self.values: dict[str, collections.deque[float]] = {}  # the last of each characteristic, by its id
        self.note = ""  # what is to be said of the last part, or why nothing was counted
        self._log: SeriesLog | None = None
        self._told: tuple[str, ...] = ()  # the characteristics that the last part had values of
        self._plan_id: tuple[object, ...] = ()
        self._again = False
        self._kept_at: Path | None = None  # the sample of the last part
        model.put_down.connect(self._on_put_down)
        self._session.document.plan_changed.connect(self._on_plan)

    # Starting and ending ----------------------------------------------------------------------------------------------

    def missing(self) -> str:
        """Return what is missing to begin, in words."""
        own = self._model.silhouette
        if own is None or not own.sizes:
            return "put sizes in first"
        if self._model.camera.source is None:
            return "connect a camera first"
        return self._model.camera.trouble()

    def start(self) -> bool:
        """Begin, or go on with a log that is there."""
        missing = self.missing()
        if missing:
            self._session.notify(missing)
            return False
        if self.log_path is not None:
            try:
                self._log = SeriesLog(self.log_path, self._columns())
            except FormatError as error:
                self._session.notify(error)
                return False
        self._plan_id = self._columns()
        self.is_running, self.parts, self.note, self._told = True, [], "", ()
        self._model.holds = True
        self.values = {c.id: collections.deque(maxlen=KEPT) for c in self._session.plan.characteristics}
        self._say_next()
        self.changed.emit()
        return True

    def end(self) -> None:
        """End it; the log can be gone on with."""
        self.is_running = self._model.holds = False
        self._model.sample_about = {}
        if self._log is not None:
            self._log.close()
            self._log = None
        self.changed.emit()

    def set_about(self, **about: str) -> None:
        """Say who measures, which batch, the serial number of the next part."""
        for name, value in about.items():
            setattr(self, name, value)
        if self.is_running:
            self._say_next()
        self.changed.emit()

    def _columns(self) -> tuple[str, ...]:
        return (*_ABOUT, *(f"{c.number} {c.name} [{'deg' if kind_named(c.kind).angular else 'mm'}]"
                           for c in self._session.plan.characteristics))  # fmt: skip

    def _on_plan(self) -> None:
        """Another plan, or other characteristics, are another series: their rows have other columns."""
        if self.is_running and self._columns() != self._plan_id:
            self.end()
            self._session.notify("the series has ended: the plan has other characteristics now")

    def _say_next(self) -> None:
        about = {"name": f"part {self.serial}", "serial": self.serial, "operator": self.operator}
        self._model.sample_about = about

    # Parts --------------------------------------------------------------------------------------------------------

    @property
    def counts(self) -> dict[str, int]:
        """How many parts were good, bad, incomplete and set aside."""
        made = collections.Counter("aside" if p.aside else p.verdict for p in self.parts)
        return {word: made.get(word, 0) for word in ("good", "bad", "incomplete", "aside")}

    @property
    def last(self) -> Counted | None:
        """The last part."""
        return self.parts[-1] if self.parts else None

    def again(self) -> None:
        """Measure the part that lies there again: it takes the place of what it was counted as."""
        seen = self._model.seen
        if not self.is_running or self.last is None:
            return
        if seen is None or seen.happening == "nothing":
            self._say(seen.found if seen is not None and isinstance(seen.found, str) else "no part lies there")
            return
        self._again = True
        self._model.tell_now()
        self._count(seen)

    def set_aside(self) -> None:
        """Set the last part aside: it is neither good nor bad."""
        last = self.last
        if not self.is_running or last is None or last.aside:
            return
        if self._write("set aside", last.row, last.verdict, ()):
            self.parts[-1] = Counted(last.row, last.serial, last.verdict, aside=True)
            self._forget_last()
            self._say(f"part {last.serial} is set aside")

    def _forget_last(self) -> None:
        for key in self._told:
            self.values[key].pop()
        self._told = ()

    def _on_put_down(self, seen: Seen) -> None:
        if self.is_running:
            self._again = False
            self._count(seen)

    def _count(self, seen: Seen) -> None:
        """Judge what lies there, log and count it; what cannot be measured is said, and nothing is logged."""
        again, self._again = self._again, False
        evaluation = self._session.evaluation
        sample = self._session.sample
        if seen.recognised is not None and not self._is_it(seen):
            return
        if isinstance(seen.found, str):
            self._say(seen.found)
            return
        of_it = sample is not None and any(p.key == seen.picture.key for p in sample.pictures)
        if not isinstance(seen.found, Measured) or evaluation is None or not of_it:
            self._say("it could not be measured: lift it and put it down again")
            return
        verdict = verdict_of(evaluation.results)
        last, serial = self.last, self.serial
        if again and last is not None:
            serial = last.serial
        row = self._write("again" if again else "measured", 0 if last is None or not again else last.row, verdict,
                          evaluation.results, serial)  # fmt: skip
        if row is None:
            return
        made = Counted(row if not again or last is None else last.row, serial, verdict)
        if again and last is not None:
            if not last.aside:
                self._forget_last()
            self.parts[-1] = made
        else:
            self.parts.append(made)
        told = {r.characteristic.id: r.measured for r in evaluation.results if r.measured is not None}
        self._told = tuple(told.keys() & self.values.keys())
        for key in self._told:
            self.values[key].append(told[key])
        self._keep_sample(serial, again=again)
        if not again:
            self.serial = next_serial(self.serial)
            self._say_next()
        dirt = f"; {seen.dirt} spots of dirt lie on the glass: wipe it" if seen.dirt else ""
        self._say(f"part {serial} {'again' if again else 'measured'}: take it away, then put the next one down{dirt}")
        if self.sound:
            self.sounded.emit(verdict)

    def _is_it(self, seen: Seen) -> bool:
        """Tell whether what was recognised is the part of this plan."""
        found = seen.recognised
        assert found is not None
        name = self._session.plan.name
        if found.sure and found.name == name:
            return True
        if found.sure:
            self._say(f"this is {found.name}")
        else:
            like = f"most like {found.name}" if found.name else "like none of the known parts"
            self._say(f"it is not sure which part this is ({like}): nothing was counted")
        return False

    def _write(
        self, what: str, of: int, verdict: str, results: tuple[Result, ...], serial: str | None = None
    ) -> int | None:  # fmt: skip
        """Write a row; its number, 0 without a log, None where it could not be written: then nothing is counted."""
        if self._log is None:
            return len(self.parts) + 1 if self.log_path is None else None
        plan = self._session.plan
        if serial is None:
            serial = "" if self.last is None else self.last.serial
        told = {r.characteristic.id: r for r in results}
        cells: list[Cell] = [now(), serial, self.operator, self.batch, plan.name, plan.revision, what, of or None,
                             verdict]  # fmt: skip
        cells += [_cell(told.get(c.id)) for c in plan.characteristics]
        try:
            return self._log.add(cells)
        except FormatError as error:
            self._session.notify(error)
            self._say(f"nothing was counted: {error}")
            return None

    def _keep_sample(self, serial: str, *, again: bool) -> None:
        """Save the sample; another one of the same number stays, the same part measured again takes its place."""
        sample, folder = self._session.sample, self.samples
        if folder is None or sample is None:
            return
        name = "".join(ch if ch.isalnum() or ch in "-_." else "-" for ch in f"{self.batch}-{serial}".strip("-"))
        path, number = folder / f"{name}.tgsample", 2
        while not again and path.exists():
            path, number = folder / f"{name} ({number}).tgsample", number + 1
        self._kept_at = path = self._kept_at if again and self._kept_at is not None else path

        def work(_: object) -> None:
            folder.mkdir(parents=True, exist_ok=True)
            write_sample(path, sample, ())

        self._session.queue.start(work, lambda _: None, f"Saving part {serial}", must=True)

    def _say(self, words: str) -> None:
        self.note = words[:1].upper() + words[1:]
        self.changed.emit()

    def save_table(self, path: Path, evaluation: Evaluation | None = None) -> None:
        """Save the log as a workbook.

        Raises
        ------
        TrueGaugeError
            There is no log.
        """
        if self.log_path is None or not self.log_path.exists():
            raise TrueGaugeError("there is no log yet")
        from truegauge.formats.series_xlsx import series_xlsx

        log = self.log_path
        self._session.files.write(path, lambda _: series_xlsx(log))


def _cell(result: Result | None) -> Cell:
    """Return a value as the log has it: mm, or degrees."""
    if result is None or result.measured is None:
        return None
    value = degrees(result.measured) if kind_named(result.characteristic.kind).angular else result.measured
    return round(value, 6)


def next_serial(serial: str) -> str:
    """Return the serial number after one: its last digits counted on, with as many of them."""
    head = serial.rstrip("0123456789")
    digits = serial[len(head) :]
    return f"{head}{int(digits) + 1:0{len(digits)}d}" if digits else f"{serial}-2"
