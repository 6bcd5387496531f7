"""Datum letters on the part, as on a drawing: a triangle on the feature, and its letter in a frame beside it."""

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSizeF

from truegauge.app.document.session import Session
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.theme import Theme
from truegauge.core.association.features import Shape
from truegauge.core.cad.recognition import Nominal
from truegauge.core.plan.features import Group
from truegauge.rendering.camera import Camera
from truegauge.rendering.tag_anchors import Anchor, feature_anchor

_SIDE, _STEM, _TRIANGLE = 19.0, 25.0, 5.0  # pixels: of the frame; from the foot to its middle; of the triangle
_LETTER = 13.0
_FACING = 0.02  # cosine to the line of sight
_TURNS = (0, 45, -45, 90, -90, 135, -135, 180)  # degrees from the direction that faces out of the part


class DatumLetters:
    """Of one view. While it moves, feet stay where they are on the part."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._feet: dict[str, tuple[object, Anchor | None]] = {}
        self._feet_of: tuple[Camera, frozenset[int]] | None = None  # seen from where, without which faces
        self.boxes: dict[str, QRectF] = {}  # what was painted

    def paint(
        self, surface: PainterSurface, camera: Camera, theme: Theme, size: QSizeF, taken: list[QRectF], *, moving: bool
    ) -> None:  # fmt: skip
        """Paint the letters; they keep off what is `taken`."""
        s = self._session
        self.boxes = {}
        if s.evaluator is None or s.model is None or not s.evaluator.can_pick:
            return
        hidden = s.shown.look.mask(len(s.model.faces)) if s.shown.look.hidden else None
        seen = self._feet_of
        still = moving or (seen is not None and seen[0] is camera and seen[1] == s.shown.look.hidden)
        if not moving:
            self._feet_of = (camera, s.shown.look.hidden)
        taken = list(taken)
        view = QRectF(QPointF(0, 0), size).adjusted(4, 4, -4, -4)
        for datum in s.plan.datums:
            feature = s.plan.feature(datum.feature)
            known = self._feet.get(datum.letter)
            if still and known is not None and known[0] == feature:
                anchor = known[1]
            else:
                anchor = feature_anchor(s.evaluator, s.plan, feature, camera, hidden)
                self._feet[datum.letter] = (feature, anchor)
            if anchor is None or not anchor.is_seen:
                continue
            x, y, _ = camera.project(anchor.place, size.width() / max(1.0, size.height()))[0]
            foot = QPointF(float(x) * size.width(), float(y) * size.height())
            if not view.contains(foot):
                continue
            way = self._way(feature.group, anchor, camera)
            box = None if way is None else self._beside(foot, way, view, taken)
            if box is None:
                continue
            taken.append(box)
            self.boxes[datum.letter] = box
            self._draw(surface, datum.letter, foot, box, theme)

    def _way(self, group: Group, anchor: Anchor, camera: Camera) -> float | None:
        """Return the direction out of the part there on the screen (rad, counterclockwise from the right).

        None where a plane shows its back: only its borders could be seen.
        """
        s = self._session
        assert s.evaluator is not None
        assert s.model is not None
        nominal = s.evaluator.nominal(group, s.plan)
        out = anchor.place - s.model.box.mean(axis=0)
        normal = getattr(nominal.feature, "normal", None) if isinstance(nominal, Nominal) else None
        if isinstance(nominal, Nominal) and normal is not None and nominal.shape == Shape.PLANE:
            out = nominal.outward * np.asarray(normal)
            if float(out @ camera.back) < _FACING:
                return None
        return math.atan2(float(out @ camera.up), float(out @ camera.right))

    def _beside(self, foot: QPointF, way: float, view: QRectF, taken: list[QRectF]) -> QRectF | None:
        for turn in _TURNS:
            angle = way + math.radians(turn)
            x, y = foot.x() + _STEM * math.cos(angle), foot.y() - _STEM * math.sin(angle)
            box = QRectF(x - _SIDE / 2, y - _SIDE / 2, _SIDE, _SIDE)
            if view.contains(box) and not any(box.intersects(other) for other in taken):
                return box
        return None

    def _draw(self, surface: PainterSurface, letter: str, foot: QPointF, box: QRectF, theme: Theme) -> None:
        x, y, middle = foot.x(), foot.y(), box.center()
        dx, dy = (middle.x() - x) / _STEM, (middle.y() - y) / _STEM
        base = (x + 1.6 * _TRIANGLE * dx, y + 1.6 * _TRIANGLE * dy)
        sides = [(x - s * _TRIANGLE * dy, y + s * _TRIANGLE * dx) for s in (1, -1)]
        surface.line([base, (middle.x(), middle.y())], theme.ink, 1.2)
        surface.loop([*sides, base], fill=theme.ink)
        off = surface.advance(letter, _LETTER, bold=True) / 2
        wide = max(_SIDE, 2 * off + 9)
        surface.box(middle.x() - wide / 2, box.y(), wide, _SIDE, fill=theme.raised, color=theme.ink, line=1.2)
        surface.text(middle.x() - off, middle.y() + 0.36 * _LETTER, letter, _LETTER, theme.ink, bold=True)
