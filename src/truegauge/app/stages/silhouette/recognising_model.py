"""Which of the saved plans fits what was put down: loaded by itself when that is sure, offered when it is not."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.core.authoring.known_shadows import known_part
from truegauge.core.errors import TrueGaugeError
from truegauge.formats.plan_file import read_plan

if TYPE_CHECKING:
    from collections.abc import Callable

    from truegauge.app.stages.silhouette.live import Seen
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.core.plan.lens import LensRecord
    from truegauge.core.plan.silhouette import Silhouette
    from truegauge.core.silhouette.recognising import KnownPart

_OFFERED = 2


class RecognisingModel(QObject):
    """Signals: `changed`."""

    changed = Signal()

    def __init__(self, model: SilhouetteModel, may_open: Callable[[], bool], parent: QObject | None = None) -> None:
        """`may_open` asks about a plan that is not saved."""
        super().__init__(parent)
        self._model, self._may_open = model, may_open
        self.folder: Path | None = None
        self.is_on = False
        self.plans: dict[str, tuple[Path, Silhouette]] = {}  # by their names
        self.words = ""
        self._parts: tuple[LensRecord, tuple[KnownPart, ...]] | None = None
        model.put_down.connect(self._on_put_down)

    def use_folder(self, folder: Path) -> None:
        """Read the plans for silhouettes in a folder."""
        session = self._model.session

        def work(_: object) -> tuple[dict[str, tuple[Path, Silhouette]], list[str]]:
            found: dict[str, tuple[Path, Silhouette]] = {}
            left_out = []
            for path in sorted(folder.glob("*.tgplan")):
                try:
                    plan = read_plan(path).plan
                except TrueGaugeError as error:
                    left_out.append(str(error))
                    continue
                if plan.silhouette is None or plan.silhouette.taught is None:
                    continue
                if plan.name in found:
                    left_out.append(f"{path.name}: another plan is called {plan.name} too")
                    continue
                found[plan.name] = (path, plan.silhouette)
            return found, left_out

        def done(result: tuple[dict[str, tuple[Path, Silhouette]], list[str]]) -> None:
            self.plans, left_out = result
            self.folder, self._parts = folder, None
            if left_out:
                session.notify(f"{len(left_out)} plans were left out: {left_out[0]}")
            self.turn(on=bool(self.plans))
            if not self.plans:
                session.notify(f"{folder.name} has no plans that were taught what their parts look like")

        session.queue.start(work, done, "Reading plans")

    def turn(self, *, on: bool) -> None:
        """Recognise parts that are put down, or not."""
        self.is_on = on
        self._model.known = self._known if on else None
        self.words = ""
        self.changed.emit()

    def _known(self, lens: LensRecord) -> tuple[KnownPart, ...]:
        """Return the parts, for a calibration (on the thread that measures)."""
        kept = self._parts
        if kept is None or kept[0] is not lens:
            optics = lens.calibration.lens
            made = (known_part(name, own, optics) for name, (_, own) in self.plans.items())
            kept = self._parts = (lens, tuple(part for part in made if part is not None))
        return kept[1]

    def _on_put_down(self, seen: Seen) -> None:
        found, session = seen.recognised, self._model.session
        if found is None or not self.is_on:
            return
        likely = [r.name for r in found.ranked if r.name in self.plans]
        if found.sure and found.name in self.plans:
            self.words = f"This is {found.name}"
            if found.name != session.plan.name:
                self.load(found.name)
        elif likely:
            self.words = f"Not sure: most like {likely[0]}"
            first, second = likely[0], likely[1] if len(likely) > 1 else ""
            session.notify(
                f"it is not sure which part this is: most like {' or '.join(likely[:_OFFERED])}", first,
                lambda: self.load(first), second, (lambda: self.load(second)) if second else None,
            )  # fmt: skip
        else:
            self.words = "None of the known parts"
        self.changed.emit()

    def load(self, name: str) -> None:
        """Open the plan of a part; never over changes that are not saved, without asking."""
        path, _ = self.plans[name]
        if name != self._model.session.plan.name and self._may_open():
            self._model.session.files.open_plan(path)
