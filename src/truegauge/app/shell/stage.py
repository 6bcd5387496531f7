"""What a stage is. Another one is a folder in `stages` and a line in `stages/all`, or registered from outside."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from truegauge.app.view.content import Overlay, ViewContent
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.bench import Bench

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from truegauge.app.document.document import Document
    from truegauge.app.document.next_step import NextStep
    from truegauge.app.shell.shell import Shell


def _nothing() -> None:
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class StageParts:
    """What a stage has in one window.

    `middle` is asked whenever it may have changed: the widget in the middle, None for the view. `above` stands over the
    middle in every stage, `below` under it, and both say themselves when they are seen; `floating` is at the top of the
    view.
    """

    bench: QWidget
    middle: Callable[[], QWidget | None] = _nothing
    above: QWidget | None = None
    below: QWidget | None = None
    overlay: Overlay | None = None
    next: Callable[[], NextStep | None] = _nothing  # what to do here, until it is done
    floating: QWidget | None = None
    actions: Sequence[Action] = ()
    entered: Callable[[], None] = _nothing
    closed: Callable[[], None] = _nothing

    def tell_next(self, run: Callable[[str], None]) -> None:
        """Let the bench say what comes next, and do it by the id of a command."""
        if isinstance(self.bench, Bench):
            self.bench.tell_next(self.next, run)


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """A stage: its place on the rail, what it still needs in words, and how its parts are made for a window."""

    key: str
    title: str
    glyph: str
    missing: Callable[[Document], str]
    build: Callable[[Shell], StageParts]
    applies: Callable[[Document], bool] = lambda document: document.plan.silhouette is None  # to the plan: else hidden
    shortcut: str = ""  # else Alt and its number
    ledger_gives_way: bool = False  # to it: it needs the room
    tells_why: bool = False  # the bench gives way to why a number is what it is
    content: ViewContent = field(default_factory=ViewContent)
    shows_machine: bool = False  # where its tip is


STAGES: dict[str, Stage] = {}


def keep_to_applying(document: Document, stage: str, go_to: Callable[[str], object]) -> None:
    """Go to the first stage that applies to the plan, where the present one does not."""
    if not STAGES[stage].applies(document):
        go_to(next(key for key, own in STAGES.items() if own.applies(document)))


def register(stage: Stage) -> None:
    """Add a stage at the end, for the windows that are built from now on."""
    if stage.key in STAGES:
        raise ValueError(f"there is a stage {stage.key!r} already")
    STAGES[stage.key] = stage
