"""The single points of a sample, from whatever took them: who they are called, what they serve, and put elsewhere."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeVar

from truegauge.core.samples.document import ProbedTouch, Touch

if TYPE_CHECKING:
    from truegauge.core.frozen_model import Three
    from truegauge.core.samples.sample import Sample

_T = TypeVar("_T", bound="ProbedTouch | Touch")
PointKey = tuple[object, ...]  # what tells one measured point from all others
_BEHIND = re.compile(r"[\s_.:/#-]*\d*$")  # a number behind a name, and what stands between


@dataclass(frozen=True, slots=True)
class MeasuredPoint:
    """One point: its place (mm, sample coordinates; the centre of a tip of `radius`), and the features it serves (ids).

    `taken_by` says what touched. `is_target` is one that came with a name, for alignments.
    """

    key: PointKey
    name: str
    place: Three
    approach: Three
    radius: float
    features: tuple[str, ...]
    taken_by: str
    is_target: bool


Points = tuple[tuple[ProbedTouch, ...], tuple[Touch, ...]]


@dataclass(frozen=True, slots=True)
class PointsChange:
    """What became of some points: all touches and named ones of the sample before and after.

    Where others were measured meanwhile it is put into force, and taken back, point by point.
    """

    label: str
    keys: frozenset[PointKey]
    before: Points
    after: Points

    def done(self, sample: Sample) -> Sample:
        """Return the sample with it."""
        return self._from_to(sample, self.before, self.after)

    def undone(self, sample: Sample) -> Sample:
        """Return the sample without it."""
        return self._from_to(sample, self.after, self.before)

    def _from_to(self, sample: Sample, known: Points, wanted: Points) -> Sample:
        probed, named = wanted
        if (sample.probed, sample.touches) != known:
            probed = _exchanged(sample.probed, self.keys, probed)
            named = _exchanged(sample.touches, self.keys, named)
        return sample.with_probed(probed).with_named(named)


def key_of(touch: ProbedTouch | Touch) -> PointKey:
    """Return what tells a measured point from others; the same for all touches that are made of it."""
    return (touch.place, touch.radius, touch.approach)


def measured_points(sample: Sample) -> tuple[MeasuredPoint, ...]:
    """Return all points of a sample, touches first, in the order in which they were taken.

    Points without a name are numbered by that order.
    """
    found: dict[PointKey, MeasuredPoint] = {}
    for t in sample.probed:
        key = key_of(t)
        known = found.get(key)
        name, serves = (t.name, ()) if known is None else (known.name or t.name, known.features)
        own = (t.feature,) if t.feature and t.feature not in serves else ()
        found[key] = MeasuredPoint(key, name, t.place, t.approach, t.radius, (*serves, *own), t.stylus, False)
    for target in sample.touches:
        key = key_of(target)
        known = found.get(key)
        serves, by = ((), "") if known is None else (known.features, known.taken_by)
        found[key] = MeasuredPoint(
            key, target.target, target.place, target.approach, target.radius, serves, by, is_target=True
        )
    return tuple(
        p if p.name else MeasuredPoint(key, str(k), p.place, p.approach, p.radius, p.features, p.taken_by, p.is_target)
        for k, (key, p) in enumerate(found.items(), 1)
    )


def put_to(
    sample: Sample, where: Mapping[PointKey, Iterable[str]], label: str, *, also: bool = False
) -> PointsChange:  # fmt: skip
    """Put points to features (ids), each to all of its own; of none: they are open again.

    With `also` they go on to serve what they served before.
    """
    points = {p.key: p for p in measured_points(sample)}
    made: dict[PointKey, tuple[ProbedTouch, ...]] = {}
    for key, wanted in where.items():
        point = points[key]
        features = tuple(dict.fromkeys((*(point.features if also else ()), *wanted)))
        own = [t for t in sample.probed if key_of(t) == key]
        first = own[0] if own else ProbedTouch(
            place=point.place, approach=point.approach, radius=point.radius, name=point.name
        )  # fmt: skip
        before = {t.feature: t for t in own}
        if not features:
            made[key] = () if point.is_target else (first.replace(feature="", row=-1),)
        else:
            # What ring or line of a feature it was taken in, it says of that feature only.
            made[key] = tuple(before.get(f) or first.replace(feature=f, row=-1) for f in features)
    return _change(sample, label, made, None)


def removed(sample: Sample, keys: Iterable[PointKey]) -> PointsChange:
    """Take points out of the sample."""
    gone: dict[PointKey, tuple[ProbedTouch, ...]] = dict.fromkeys(keys, ())
    words = "1 point" if len(gone) == 1 else f"{len(gone)} points"
    return _change(sample, f"remove {words}", gone, dict.fromkeys(gone, ()))


def renamed(sample: Sample, key: PointKey, name: str) -> PointsChange:
    """Give a point another name."""
    own = tuple(t.replace(name=name) for t in sample.probed if key_of(t) == key)
    targets = tuple(t.replace(target=name) for t in sample.touches if key_of(t) == key)
    return _change(sample, f"rename a point {name}", {key: own}, {key: targets})


def by_names(points: Iterable[MeasuredPoint], features: Mapping[str, str]) -> dict[PointKey, str]:
    """Return the feature (id) that the name of each point speaks of; `features` are names by id.

    A point is called as a feature is, or so with a number behind: "main bore 3". Of several the longest name counts.
    """
    wanted = {_plain(name): feature for feature, name in features.items()}
    found: dict[PointKey, str] = {}
    for p in points:
        whole = _plain(p.name)
        # "bolt hole 1" may be the feature of that name, else the first point of "bolt hole".
        feature = wanted.get(whole) or wanted.get(_BEHIND.sub("", whole))
        if feature is not None:
            found[p.key] = feature
    return found


def _plain(name: str) -> str:
    return re.sub(r"[\s_.:/#-]+", " ", name).strip().casefold()


def _change(
    sample: Sample, label: str, probed: Mapping[PointKey, tuple[ProbedTouch, ...]],
    named: Mapping[PointKey, tuple[Touch, ...]] | None,
) -> PointsChange:  # fmt: skip
    keys = frozenset(probed)
    touches = _exchanged(sample.probed, keys, tuple(t for own in probed.values() for t in own))
    targets = sample.touches
    if named is not None:
        targets = _exchanged(targets, keys, tuple(t for own in named.values() for t in own))
    return PointsChange(label, keys, (sample.probed, sample.touches), (touches, targets))


def _exchanged(present: tuple[_T, ...], keys: frozenset[PointKey], others: tuple[_T, ...]) -> tuple[_T, ...]:
    """Return touches with others in the place of those of some points; of points that are not there, at the end."""
    waiting: dict[PointKey, list[_T]] = {}
    for t in others:
        if key_of(t) in keys:
            waiting.setdefault(key_of(t), []).append(t)
    made: list[_T] = []
    for t in present:
        key = key_of(t)
        if key not in keys:
            made.append(t)
        else:
            made += waiting.pop(key, [])
    return (*made, *(t for own in waiting.values() for t in own))
