"""What runs tell while they run, in their own thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, TypeVar

from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import QualificationRecord, SphereLocation
from truegauge.core.samples.document import ProbedTouch, Touch

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.plan.alignments import GuideTarget
    from truegauge.core.registration.guided import TouchSide
    from truegauge.core.routes.legs import Visit


@dataclass(frozen=True, slots=True, eq=False)
class FeatureBegun:
    """The touches of a feature with a stylus begin, or go on."""

    visit: Visit


@dataclass(frozen=True, slots=True, eq=False)
class FeatureTouched:
    """A touch of a feature, for the sample."""

    touch: ProbedTouch


@dataclass(frozen=True, slots=True, eq=False)
class FeatureComplete:
    """All touches of a feature were told, enough to take the place of older ones."""

    visit: Visit


@dataclass(frozen=True, slots=True, eq=False)
class TargetTouched:
    """A touch of a target of a guided alignment, for the sample."""

    touch: Touch


@dataclass(frozen=True, slots=True, eq=False)
class TargetWanted:
    """Somebody has to touch a side of a target by hand, so many times more."""

    target: GuideTarget
    side: TouchSide
    missing: int
    words: str


@dataclass(frozen=True, slots=True, eq=False)
class PartLocated:
    """Where the part lies (4, 4) by an alignment of the plan (id); `moved` mm from where it was taken to lie."""

    alignment: str
    machine_from_part: Rigid
    moved: float


@dataclass(frozen=True, slots=True, eq=False)
class TemperatureRead:
    """How warm the part is, degrees Celsius."""

    temperature_c: float


@dataclass(frozen=True, slots=True, eq=False)
class NoteWanted:
    """The operator has to do what a step says, and to confirm it; without words not any more."""

    step: str
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class StepEnded:
    """A step of the route is over: done, left out by the operator, or not possible."""

    step: str
    state: Literal["done", "skipped", "failed"]
    why: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class TouchWanted:
    """Somebody has to touch the sphere by hand, and why; without words not any more."""

    use: StylusUse
    why: str


@dataclass(frozen=True, slots=True, eq=False)
class SphereTouched:
    """So many touches of the reference sphere are done."""

    use: StylusUse
    done: int
    of: int


@dataclass(frozen=True, slots=True, eq=False)
class CheckTouched:
    """So many touches of a standard are done in a check of the machine."""

    what: str
    done: int
    of: int


@dataclass(frozen=True, slots=True, eq=False)
class StylusQualified:
    """What came of a stylus; told again when it is judged otherwise later."""

    record: QualificationRecord


@dataclass(frozen=True, slots=True, eq=False)
class SphereLocated:
    """Where the reference sphere stands, or that it may have moved."""

    location: SphereLocation


RunEvent = (
    FeatureBegun | FeatureTouched | FeatureComplete | TouchWanted | SphereTouched | StylusQualified | SphereLocated
    | CheckTouched
    | TargetTouched | TargetWanted | PartLocated | TemperatureRead | NoteWanted | StepEnded
)  # fmt: skip
Tell = Callable[[RunEvent], None]
E = TypeVar("E", bound=RunEvent)


def nobody(event: RunEvent) -> None:
    """Listen to nothing."""


def when(kind: type[E], then: Callable[[E], object]) -> Tell:
    """Return who listens to one kind of event only."""

    def tell(event: RunEvent) -> None:
        if isinstance(event, kind):
            then(event)

    return tell
