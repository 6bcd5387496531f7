"""What runs tell while they run, in their own thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeVar

from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import QualificationRecord, SphereLocation
from truegauge.core.samples.document import ProbedTouch

if TYPE_CHECKING:
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
class StylusQualified:
    """What came of a stylus; told again when it is judged otherwise later."""

    record: QualificationRecord


@dataclass(frozen=True, slots=True, eq=False)
class SphereLocated:
    """Where the reference sphere stands, or that it may have moved."""

    location: SphereLocation


RunEvent = (
    FeatureBegun | FeatureTouched | FeatureComplete | TouchWanted | SphereTouched | StylusQualified | SphereLocated
)
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
