"""A sample: one measured individual. What was measured of it is never altered, only added to or taken away."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.samples.contributions import (
    Contribution,
    FeatureTouches,
    NamedTouches,
    ScanPoints,
    ShadowPicture,
    by_feature,
)
from truegauge.core.samples.document import ProbedTouch, SampleAbout, SampleData, ScanFile, Touch

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.arrays import Normals, Points, Rigid
    from truegauge.core.clouds.raw import Colors

GREY = 160


@dataclass(frozen=True, eq=False)
class Sample:
    """What is said of the sample, and what was measured: scans, touches of features, points with names.

    `origin` stays the same while more is measured of it.
    """

    origin: str
    about: SampleAbout
    contributions: tuple[Contribution, ...] = ()

    @classmethod
    def of(
        cls, data: SampleData, scans: tuple[ScanPoints, ...] = (), origin: str = "",
        pictures: tuple[ShadowPicture, ...] = (),
    ) -> Sample:  # fmt: skip
        """Return the sample of a document with scans and pictures; without any it is new unless its origin is known."""
        origin = (
            origin or "+".join([*(s.key for s in scans), *(p.key for p in pictures)]) or f"touches-{uuid.uuid4().hex}"
        )
        named = (NamedTouches(data.touches),) if data.touches else ()
        return cls(origin, data.about, (*scans, *pictures, *by_feature(data.probed), *named))

    @cached_property
    def scans(self) -> tuple[ScanPoints, ...]:
        """The scans."""
        return tuple(c for c in self.contributions if isinstance(c, ScanPoints))

    @cached_property
    def pictures(self) -> tuple[ShadowPicture, ...]:
        """The pictures of its shadow; the last one counts."""
        return tuple(c for c in self.contributions if isinstance(c, ShadowPicture))

    @cached_property
    def touched(self) -> dict[str, FeatureTouches]:
        """The touches of each feature, by its id."""
        return {c.feature: c for c in self.contributions if isinstance(c, FeatureTouches)}

    @cached_property
    def named(self) -> NamedTouches:
        """The points with names."""
        return next((c for c in self.contributions if isinstance(c, NamedTouches)), NamedTouches(()))

    @property
    def name(self) -> str:
        """The name shown."""
        return self.about.name

    @property
    def files(self) -> tuple[ScanFile, ...]:
        """What its scans were read from."""
        return tuple(s.file for s in self.scans)

    @property
    def unit(self) -> str:
        """The unit of the first scan's file."""
        return self.scans[0].file.unit if self.scans else "mm"

    @property
    def touches(self) -> tuple[Touch, ...]:
        """The points with names."""
        return self.named.touches

    @cached_property
    def probed(self) -> tuple[ProbedTouch, ...]:
        """The touches of features, in the order in which they were taken."""
        found = [(row, t) for c in self.touched.values() for row, t in zip(c.rows, c.touches, strict=True)]
        return tuple(t for _, t in sorted(found, key=lambda one: one[0]))

    @property
    def is_touched(self) -> bool:
        """Whether it has touches of features and no scan."""
        return bool(self.touched) and not self.scans

    @cached_property
    def scans_key(self) -> str:
        """The content of its scans; empty without any."""
        return "+".join(s.key for s in self.scans)

    @cached_property
    def touched_key(self) -> Hashable:
        """The content of all touches of features."""
        return tuple(c.key for c in self.touched.values())

    @cached_property
    def points(self) -> Points:
        """The points (n, 3) mm of all scans, one after the other."""
        if not self.scans:
            return np.zeros((0, 3))
        return self.scans[0].points if len(self.scans) == 1 else frozen(np.vstack([s.points for s in self.scans]))

    @cached_property
    def normals(self) -> Normals | None:
        """The normals (n, 3) of the scans, zero where one of several has none; None where all have none."""
        found: Normals | None = _stacked([s.normals for s in self.scans], [len(s.points) for s in self.scans], 0)
        return found

    @cached_property
    def colors(self) -> Colors | None:
        """The colours (n, 3) of the scans, grey where one of several has none; None where all have none."""
        found: Colors | None = _stacked([s.colors for s in self.scans], [len(s.points) for s in self.scans], GREY)
        return found

    @property
    def notes(self) -> tuple[str, ...]:
        """What reading its scans left out or moved."""
        return tuple(n for s in self.scans for n in s.notes)

    @cached_property
    def data(self) -> SampleData:
        """What a file says of it."""
        about = {name: getattr(self.about, name) for name in SampleAbout.model_fields}
        return SampleData.model_construct(
            **about, touches=self.touches, probed=self.probed, scans=self.files,
            pictures=tuple(p.file for p in self.pictures),
        )  # fmt: skip

    def with_data(self, data: SampleData) -> Sample:
        """Return the sample with something else said of it and other touches; its scans stay."""
        named = self.named if data.touches == self.touches else NamedTouches(data.touches)
        touched = by_feature(data.probed, tuple(self.touched.values()))
        named_ones = (named,) if data.touches else ()
        return Sample(self.origin, data.about, (*self.scans, *self.pictures, *touched, *named_ones))

    def with_probed(self, touches: tuple[ProbedTouch, ...]) -> Sample:
        """Return the sample with these touches of features; those of features that did not change are shared."""
        rest = tuple(c for c in self.contributions if not isinstance(c, FeatureTouches))
        return Sample(self.origin, self.about, (*rest, *by_feature(touches, tuple(self.touched.values()))))

    def with_named(self, touches: tuple[Touch, ...]) -> Sample:
        """Return the sample with these points with names."""
        rest = tuple(c for c in self.contributions if not isinstance(c, NamedTouches))
        return Sample(self.origin, self.about, (*rest, *((NamedTouches(touches),) if touches else ())))

    def saying(self, **changes: Any) -> Sample:
        """Return the sample with changes of what is said of it.

        Raises
        ------
        ValueError
            What cannot be said.
        """
        return Sample(self.origin, self.about.replace(**changes), self.contributions)

    def placed(self, first_from_this: Rigid, placed_by: str) -> Sample:
        """Return the sample in other coordinates: the points of a part that was moved between two scans."""
        scans = tuple(s.placed(first_from_this, placed_by) for s in self.scans)
        rest = tuple(c for c in self.contributions if not isinstance(c, ScanPoints))
        return Sample("+".join(s.key for s in scans) or self.origin, self.about, (*scans, *rest))

    def joined(self, other: Sample) -> Sample:
        """Return a sample of both samples' scans; `other` is in the same coordinates."""
        scans, joint = _sharing((*self.scans, *other.scans))
        rest = tuple(c for c in self.contributions if not isinstance(c, ScanPoints))
        made = Sample("+".join(s.key for s in scans) or self.origin, self.about, (*scans, *rest))
        made.__dict__.update(joint)
        return made


def _sharing(scans: tuple[ScanPoints, ...]) -> tuple[tuple[ScanPoints, ...], dict[str, Any]]:
    """Return scans that look into joint arrays, and these, by their names: large points must not be there twice."""
    joint: dict[str, Any] = {}
    for name in ("points", "normals", "colors"):
        arrays = [getattr(s, name) for s in scans]
        if len(scans) < 2 or any(a is None for a in arrays):
            continue
        joint[name] = frozen(np.vstack(arrays))
        starts = np.cumsum([0, *(len(a) for a in arrays)])
        scans = tuple(
            replace(s, **{name: joint[name][a:b]}) for s, a, b in zip(scans, starts[:-1], starts[1:], strict=True)
        )
    return scans, joint


def _stacked(arrays: list[Any], counts: list[int], blank: float) -> Any:
    known = next((a for a in arrays if a is not None), None)
    if known is None or len(arrays) == 1:
        return known
    parts = [np.full((n, 3), blank, dtype=known.dtype) if a is None else a for a, n in zip(arrays, counts, strict=True)]
    return frozen(np.vstack(parts))
