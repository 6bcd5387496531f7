"""The single points of the sample: which are chosen, what is offered for them, and where they are put."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.session import Session
from truegauge.core.clouds.recipe import CropOutline, inside_outline
from truegauge.core.evaluation.located import Lie
from truegauge.core.evaluation.prepared import OnPart, touched_features
from truegauge.core.plan.features import NominalFeature
from truegauge.core.samples.points import (
    MeasuredPoint,
    PointKey,
    by_names,
    measured_points,
    put_to,
    removed,
    renamed,
)

if TYPE_CHECKING:
    from truegauge.core.arrays import Mask, Points, Vector

NOWHERE = OnPart((), float("nan"))
_CLEAR = 0.2  # mm
Draw = Callable[[str, Callable[[CropOutline], None]], None]


@dataclass(frozen=True, slots=True)
class Offer:
    """Where points would go: features (ids) by point; `by` says in a word how that was found."""

    by: str
    where: dict[PointKey, tuple[str, ...]]
    left: int  # points that it has nothing for


class PointsModel(QObject):
    """Signals: `changed`."""

    changed = Signal()

    def __init__(self, session: Session, draw: Draw, parent: QObject | None = None) -> None:
        """`draw` lets an outline of a kind be drawn in the view, and hands it over."""
        super().__init__(parent)
        self.session, self._draw = session, draw
        self.page = "features"  # or "points"
        self.chosen: tuple[PointKey, ...] = ()
        self.deep = False  # whether what is drawn around goes through the part
        self.offer: Offer | None = None
        self._offered_for: object = None
        self._points: tuple[MeasuredPoint, ...] = ()
        self._for: object = None
        self._on: dict[PointKey, OnPart] = {}
        self._on_for: object = None
        self._seen: Mask = np.zeros(0, dtype=bool)
        self._seen_for: object = None
        document = session.document
        for signal in (document.sample_changed, document.sample_data_changed, document.plan_changed):
            signal.connect(self._on_document)
        document.evaluated.connect(self.changed)

    def set_page(self, page: str) -> None:
        """Show features or points."""
        if page != self.page:
            self.page = page
            self.changed.emit()

    def set_deep(self, deep: bool) -> None:
        """Have what is drawn around go through the part, or not."""
        self.deep = deep

    # What there is --------------------------------------------------------------------------------------------------

    @property
    def points(self) -> tuple[MeasuredPoint, ...]:
        """All points of the sample."""
        sample = self.session.sample
        key = None if sample is None else (sample.probed, sample.touches)
        if key != self._for:
            self._points, self._for = () if sample is None else measured_points(sample), key
        return self._points

    @property
    def chosen_points(self) -> tuple[MeasuredPoint, ...]:
        """The points that are chosen."""
        chosen = set(self.chosen)
        return tuple(p for p in self.points if p.key in chosen)

    def lie(self) -> Lie | None:
        """How the part lies; None before it is aligned, or without a part."""
        s = self.session
        if s.evaluation is None or s.sample is None or s.evaluator is None or not s.evaluator.can_pick:
            return None
        return Lie.best_known(s.plan, s.sample, s.evaluation.alignments)

    def on_part(self) -> dict[PointKey, OnPart]:
        """Return what each point lies on; nothing before the part is aligned."""
        lie, evaluator, points = self.lie(), self.session.evaluator, self.points
        if lie is None or evaluator is None or not points:
            return {}
        key = (self._for, self.session.plan.features, lie.growth, lie.part_from_device.tobytes())
        if key != self._on_for:
            approach = np.array([p.approach for p in points])
            found = touched_features(
                self.session.plan, evaluator.projector, lie, np.array([p.place for p in points]),
                np.array([p.radius for p in points]), -approach,
            )  # fmt: skip
            self._on = {p.key: one for p, one in zip(points, found, strict=True)}
            self._on_for = key
        return self._on

    def places(self) -> Points:
        """Return where the points (n, 3) are on the part, mm; none before it is aligned."""
        lie, points = self.lie(), self.points
        if lie is None or not points:
            return np.zeros((0, 3))
        approach, radius = np.array([p.approach for p in points]), np.array([[p.radius] for p in points])
        return np.asarray(lie.places(np.array([p.place for p in points])) + radius * lie.directions(approach))

    def seen_from(self, back: Vector) -> Mask:
        """Return which points (n,) are not behind the part, looked at against a direction (3,) of it."""
        places, evaluator = self.places(), self.session.evaluator
        if evaluator is None or not len(places):
            return np.ones(len(places), dtype=bool)
        key = (self._for, places.tobytes(), back.tobytes())
        if key != self._seen_for:
            ways = np.tile(back, (len(places), 1))
            # A point may lie a little inside of the designed part.
            hits = evaluator.projector.hits(places + _CLEAR * ways, ways)
            self._seen, self._seen_for = np.asarray(~np.isfinite(hits)), key
        return self._seen

    # Choosing -------------------------------------------------------------------------------------------------------

    def choose(self, keys: Iterable[PointKey]) -> None:
        """Choose points."""
        wanted = tuple(keys)
        if wanted != self.chosen:
            self.chosen = wanted
            self.changed.emit()

    def choose_in_view(self, mode: str) -> None:
        """Let the user draw around points."""
        if not self.points:
            return
        if self.lie() is None:
            self.session.notify("align the part first: then it is known where the points are")
            return
        self._draw(mode, self._choose_inside)

    def _choose_inside(self, outline: CropOutline) -> None:
        inside = inside_outline(self.places(), outline)
        if not self.deep:
            inside &= self.seen_from(np.cross(outline.right, outline.up))
        self.choose(p.key for p, there in zip(self.points, inside, strict=True) if there)
        if not inside.any():
            self.session.notify("no points lie inside")

    # Putting --------------------------------------------------------------------------------------------------------

    def targets(self) -> tuple[NominalFeature, ...]:
        """The features of the part that are selected."""
        return tuple(f for f in self.session.selection.features() if isinstance(f, NominalFeature))

    def put(self, features: Iterable[str], *, also: bool = False) -> None:
        """Put the chosen points to features (ids); with `also` they serve what they served, too."""
        sample, wanted, points = self.session.sample, tuple(features), self.chosen_points
        if sample is None or not points:
            return
        names = ", ".join(self.session.plan.feature(f).name for f in wanted) or "no feature"
        words = f"put {_count(len(points))} to {names}"
        self.session.document.change_points(put_to(sample, {p.key: wanted for p in points}, words, also=also))

    def remove(self) -> None:
        """Take the chosen points out of the sample."""
        sample, points = self.session.sample, self.chosen_points
        if sample is not None and points:
            self.session.document.change_points(removed(sample, [p.key for p in points]))

    def rename(self, name: str) -> None:
        """Give the one point that is chosen a name."""
        sample, points, name = self.session.sample, self.chosen_points, name.strip()[:200]
        if sample is not None and len(points) == 1 and name and name != points[0].name:
            self.session.document.change_points(renamed(sample, points[0].key, name))

    # Offers ---------------------------------------------------------------------------------------------------------

    def _considered(self) -> tuple[MeasuredPoint, ...]:
        """The points that offers are made for: those that are chosen, else those that serve nothing yet."""
        return self.chosen_points or tuple(p for p in self.points if not p.features)

    def offer_by_name(self) -> None:
        """Offer each point to the feature that its name speaks of."""
        names = {f.id: f.name for f in self.session.plan.features}
        points = self._considered()
        found = by_names(points, names)
        self._offer("name", points, {key: (feature,) for key, feature in found.items()})

    def offer_by_place(self) -> None:
        """Offer each point to the feature that it lies on."""
        if self.lie() is None:
            self.session.notify("align the part first: then it is known where the points are")
            return
        on, points = self.on_part(), self._considered()
        self._offer("place", points, {p.key: on[p.key].features[:1] for p in points if on[p.key].features})

    def _offer(self, by: str, points: tuple[MeasuredPoint, ...], where: dict[PointKey, tuple[str, ...]]) -> None:
        served = {p.key: p.features for p in points}
        where = {key: own for key, own in where.items() if own != served[key]}
        self._offered_for = (self._for, self.session.plan.features)
        self.offer = Offer(by, where, len(points) - len(where)) if where else None
        if not where:
            self.session.notify(
                f"by {by} nothing is to be put anywhere" if points else "all points serve a feature; choose some first"
            )
        self.changed.emit()

    def accept(self) -> None:
        """Do what is offered."""
        offer, self.offer = self.offer, None
        sample = self.session.sample
        if offer is not None and sample is not None:
            words = f"put {_count(len(offer.where))} to features by {offer.by}"
            self.session.document.change_points(put_to(sample, offer.where, words))
            self.changed.emit()

    def leave(self) -> None:
        """Do not do what is offered."""
        self.offer = None
        self.changed.emit()

    def _on_document(self) -> None:
        there = {p.key for p in self.points}
        self.chosen = tuple(k for k in self.chosen if k in there)
        # What was offered was so for the points and features that there were; a temperature changes nothing of it.
        of = (self._for, self.session.plan.features)
        if of != self._offered_for:
            self.offer, self._offered_for = None, of
        self.changed.emit()


def _count(n: int) -> str:
    return "1 point" if n == 1 else f"{n} points"
