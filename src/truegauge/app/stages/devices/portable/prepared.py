"""Measuring by hand: the features that the plan waits for, recognised by where they are touched, or points first."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.devices.portable.line import Borrowed
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.core.arrays import three
from truegauge.core.evaluation.prepared import Prepared, feature_touched, prepared
from truegauge.core.routes.document import MeasureStep, step_id
from truegauge.core.samples.document import ProbedTouch
from truegauge.devices.protocol import PointBlock, Wanted

_NOTHING = "nothing that the plan waits for"


class PreparedModel(QObject):
    """Takes the touches of the arm for features while it is on; with `free` as points that are put to them later."""

    changed = Signal()

    def __init__(self, portable: PortableModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.portable, self.session = portable, portable.session
        self._taken: Borrowed | None = None
        self._waits: tuple[Prepared, ...] = ()
        self._for: object = None
        self.last = ""  # what was touched last, in words
        self.free = False
        self._missed = 0  # by the hand of the stand-in, one after the other
        portable.moved.connect(self._take)
        portable.changed.connect(self._on_devices)
        document = self.session.document
        for signal in (
            document.plan_changed,
            document.sample_changed,
            document.sample_data_changed,
            document.evaluated,
        ):
            signal.connect(self.changed)

    @property
    def on(self) -> bool:
        """Whether touches go to features now."""
        return self._taken is not None

    def set_on(self, on: bool, *, free: bool = False) -> None:
        """Take touches, for features or (`free`) as points, or not any more."""
        if on == self.on:
            return
        if not on:
            self._stop()
            return
        sample, taken = self.session.sample, self.portable.lend()
        # The first touch takes the place of a scan in other coordinates.
        foreign = sample is not None and taken is not None and sample.about.device != taken.identity
        if foreign and sample is not None and len(sample.points) and not self.session.document.may_let_sample_go():
            self.changed.emit()
            return
        if taken is not None:
            taken.connect()
            self._taken, self.last, self.free = taken, "", free
        self.changed.emit()

    def _stop(self) -> None:
        if self._taken is not None:
            self._taken.close()
            self._taken = None
            self.changed.emit()

    def _on_devices(self) -> None:
        if self._taken is not None and self._taken.line not in self.portable.lines:
            self._stop()

    # What waits -----------------------------------------------------------------------------------------------------

    def waits(self) -> tuple[tuple[Prepared, int], ...]:
        """Return the features that the plan needs, with how many touches each has."""
        plan, evaluator = self.session.plan, self.session.evaluator
        if evaluator is None or not evaluator.can_pick:
            return ()
        key = (plan.characteristics, plan.features, plan.route, plan.datums, plan.alignments, plan.constructed)
        if key != self._for:
            self._waits, self._for = prepared(plan, evaluator), key
        counts: dict[str, int] = {}
        for t in () if self.session.sample is None else self.session.sample.probed:
            counts[t.feature] = counts.get(t.feature, 0) + 1
        return tuple((p, counts.get(p.feature, 0)) for p in self._waits)

    def next(self) -> tuple[Prepared, int] | None:
        """Return what comes next, and how many touches it has; the selected feature, if one is selected and waits."""
        waits = [(p, n) for p, n in self.waits() if n < p.touches]
        chosen = {f.id for f in self.session.selection.features()}
        return next((w for w in waits if w[0].feature in chosen), waits[0] if waits else None)

    def _to_touch(self) -> tuple[Prepared, int] | None:
        """Return what the hand of the stand-in touches next: points that are free as if all were put in order."""
        if not self.free:
            return self.next()
        count = 0 if self.session.sample is None else len(self.session.sample.probed)
        for own, _ in self.waits():
            if count < own.touches:
                return own, count
            count -= own.touches
        return None

    # Touches --------------------------------------------------------------------------------------------------------

    def _take(self) -> None:
        if self._taken is None:
            return
        for event in self._taken.drain():
            if isinstance(event, PointBlock):
                self._take_block(event)

    def _take_block(self, block: PointBlock) -> None:
        taken = self._taken
        assert taken is not None
        s, lie = self.session, self.portable.lie(taken.line)
        sample, evaluator, following = s.sample, s.evaluator, self.next()
        wanted = "" if following is None else following[0].feature
        made = []
        ways = np.zeros((len(block), 3)) if block.approach is None else block.approach
        for place, way in zip(block.places, ways, strict=True):
            feature = "" if self.free else wanted
            if lie is not None and evaluator is not None and not self.free:
                feature = feature_touched(s.plan, evaluator.projector, lie, place, block.radius or 0.0, -way, wanted)
            self.last = s.plan.feature(feature).name if feature else "" if self.free else _NOTHING
            made.append(ProbedTouch(place=three(place), approach=three(way), radius=block.radius or 0.0,
                                    feature=feature, stylus=taken.line.device.own_identity))  # fmt: skip
        before = () if sample is None else sample.probed
        s.document.set_probed((*before, *made), device=taken.identity)
        self.changed.emit()

    def take_back(self) -> None:
        """Forget the last touch."""
        sample = self.session.sample
        if sample is not None and sample.probed:
            self.session.document.set_probed(sample.probed[:-1])
            self.last = ""
            self.changed.emit()

    @property
    def has_operator(self) -> bool:
        """Whether the hand of a stand-in touches what is next."""
        return self._taken is not None and self._taken.has_operator

    def operator_touches(self) -> None:
        """Have the hand of the stand-in touch the next place of the next feature."""
        from truegauge.jobs.routing import places_of_step

        s, following = self.session, self._to_touch()
        if self._taken is None or following is None or s.evaluator is None:
            return
        own, count = following
        step = s.plan.route.step_of(own.feature) or MeasureStep(id=step_id(own.feature), feature=own.feature)
        places = places_of_step(s.plan, s.evaluator, step)
        # A place that was missed, or taken for another feature, is left to the next one.
        k = (count + self._missed) % max(1, len(places))
        self._taken.touch(Wanted(places.points[k], places.normals[k]))
        self.portable.poll()
        after = self._to_touch()
        self._missed = self._missed + 1 if after is not None and after == following else 0
