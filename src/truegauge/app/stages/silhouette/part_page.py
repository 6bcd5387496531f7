"""The page Part: by which edges it is found wherever it lies, how well that repeats, and which part it is."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from truegauge.app.stages.silhouette.recognising_model import RecognisingModel
from truegauge.app.widgets.bench import Pairs, button, label, say
from truegauge.app.widgets.parts import row
from truegauge.core.authoring.silhouettes import found_by, taught_by
from truegauge.core.errors import TrueGaugeError
from truegauge.core.plan.silhouette import ShadowBox, Silhouette
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.app.stages.silhouette.series_model import SeriesModel

_HINT = ("Choose one straight edge, or two opposite ones, that x goes along; then an edge across or a round one that x "
         "begins at. For a ring a round one is enough. From then on the part is found wherever it lies.")  # fmt: skip
_FEW = 3


class PartPage(QWidget):
    """Datums first, then how well they repeat, then recognition."""

    def __init__(self, model: SilhouetteModel, series: SeriesModel, recognising: RecognisingModel,
                 ask_folder: Callable[[], Path | None]) -> None:  # fmt: skip
        super().__init__()
        self._model, self._series, self._recognising = model, series, recognising
        self._ask_folder = ask_folder
        self._turn: tuple[str, ...] = ()
        self._stop = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.hint = label(_HINT, "soft", wrap=True)
        self.pairs = Pairs()
        self.along = button("x along the chosen", self._on_along)
        self.begins = button("x begins at the chosen", self._on_begins)
        self.find_it = button("Find the part by these", self._on_find, main=True)
        self.end_for_end = QCheckBox("It may lie end for end")
        self.upside_down = QCheckBox("It may lie upside down")
        self.end_for_end.toggled.connect(lambda on: self._set(end_for_end=on))
        self.upside_down.toggled.connect(lambda on: self._set(upside_down=on))
        self.teach = button("Teach this shadow", self._on_teach)
        self.repeats = label("", "soft", wrap=True)
        self.folder = button("Plans in a folder …", self._on_folder)
        self.recognise = QCheckBox("Recognise what is put down")
        self.recognise.toggled.connect(lambda on: recognising.turn(on=on))
        self.known = label("", "soft", wrap=True)
        recognising.changed.connect(self.refresh)
        for widget in (self.hint, self.pairs, row(self.along), row(self.begins), self.find_it, self.end_for_end,
                       self.upside_down, self.teach, self.repeats, label("Which part it is", "heading"), self.known,
                       self.folder, self.recognise):  # fmt: skip
            column.addWidget(widget)
        column.addStretch()

    def _on_along(self) -> None:
        own = self._model.silhouette
        chosen = tuple(k for k in self._model.selected
                       if own is not None and isinstance(getattr(own.edge(k), "look", None), ShadowBox))  # fmt: skip
        if not chosen:
            self._model.session.notify("choose one or two straight edges in the picture first")
            return
        self._turn = chosen
        self.refresh()

    def _on_begins(self) -> None:
        own = self._model.silhouette
        edges = [k for k in self._model.selected if own is not None and own.edge(k) is not None]
        if len(edges) != 1:
            self._model.session.notify("choose one edge in the picture first")
            return
        self._stop = edges[0]
        self.refresh()

    def _seen(self) -> tuple[Silhouette, object] | None:
        """Return silhouette and what is seen, where the part was measured."""
        m = self._model
        if m.silhouette is None or m.seen is None or m.seen.lens is None or m.found is None:
            m.session.notify(m.why_not or "the part is not measured now")
            return None
        return m.silhouette, m.seen

    def _on_find(self) -> None:
        m = self._model
        if self._seen() is None or m.silhouette is None or m.seen is None or m.seen.lens is None:
            return
        own, seen, place = m.silhouette, m.seen, m.place
        turn, stop = self._names(own)
        d = own.datums

        def work(_: object) -> Silhouette:
            assert seen.lens is not None
            return found_by(
                own, turn, stop, seen.picture.pixels, seen.lens.calibration, place,
                end_for_end=d is None or d.end_for_end, upside_down=d is not None and d.upside_down,
            )  # fmt: skip

        self._change(work, "find the part by its edges")

    def _on_teach(self) -> None:
        m = self._model
        if self._seen() is None or m.silhouette is None or m.seen is None:
            return
        own, seen, place = m.silhouette, m.seen, m.place

        def work(_: object) -> Silhouette:
            assert seen.lens is not None
            return taught_by(own, seen.picture.pixels, seen.lens.calibration, place)

        self._change(work, "teach the shadow")

    def _change(self, work: Callable[[object], Silhouette], label_: str) -> None:
        m, before = self._model, self._model.silhouette

        def done(made: Silhouette) -> None:
            if m.silhouette is before:  # else it was changed meanwhile
                m.edits.change(made, label_)

        m.session.queue.start(work, done, "Finding the part")

    def _names(self, own: Silhouette) -> tuple[tuple[str, ...], str]:
        there = {e.id for e in own.edges}
        turn = tuple(k for k in self._turn if k in there) or (() if own.datums is None else own.datums.turn)
        stop = self._stop if self._stop in there else "" if own.datums is None else own.datums.stop
        return turn, stop

    def _set(self, **changes: bool) -> None:
        own = self._model.silhouette
        if own is not None and own.datums is not None:
            try:
                self._model.edits.change(own.replace(datums=own.datums.replace(**changes)), "how the part may lie")
            except (ValueError, TrueGaugeError) as error:
                self._model.session.notify(error)

    def _on_folder(self) -> None:
        folder = self._ask_folder()
        if folder is not None:
            self._recognising.use_folder(folder)

    def refresh(self) -> None:
        """Show by what the part is found as it is now."""
        own = self._model.silhouette
        if own is None:
            return
        turn, stop = self._names(own)
        self.pairs.show_pairs([
            ("x along", " and ".join(own.named(k) for k in turn) or "–"), ("x begins at", own.named(stop) or "–"),
            ("found by them", "yes" if own.datums is not None and own.taught is not None else "no"),
        ])  # fmt: skip
        edge = own.edge(stop)
        is_round = edge is not None and not isinstance(edge.look, ShadowBox)
        self.find_it.setEnabled(bool(turn) or is_round)
        for box, value in ((self.end_for_end, own.datums is not None and own.datums.end_for_end),
                           (self.upside_down, own.datums is not None and own.datums.upside_down)):  # fmt: skip
            box.blockSignals(True)
            box.setChecked(value)
            box.setEnabled(own.datums is not None)
            box.blockSignals(False)
        self.teach.setEnabled(own.datums is not None)
        say(self.repeats, self._repeats())
        r = self._recognising
        said = f"{len(r.plans)} plans of {r.folder.name}" if r.folder is not None else (
            "A folder of plans tells which part was put down.")  # fmt: skip
        say(self.known, f"{said}. {r.words}".strip(". "))
        self.recognise.blockSignals(True)
        self.recognise.setChecked(r.is_on)
        self.recognise.setEnabled(bool(r.plans))
        self.recognise.blockSignals(False)

    def _repeats(self) -> str:
        """Say how much the last puts differ, where one part was put down again and again."""
        plan = self._model.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        spreads = [(float(np.std(v, ddof=1)), c.name) for c in plan.characteristics
                   if len(v := self._model.puts.get(c.id, ())) >= _FEW and not c.kind.endswith("angle")]  # fmt: skip
        if not spreads:
            return ""
        worst, name = max(spreads)
        count = max(len(v) for v in self._model.puts.values())
        return f"The last {count} puts: s at most {numbers.fine(worst)} ({name}), if it was one part."
