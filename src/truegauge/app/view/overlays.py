"""What is painted over the view: residual needles, constructed features, and the preview of a construction."""

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from truegauge.app.document.session import Session
from truegauge.app.view.view_marks import RULER_SHARE
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.association.features import (
    Circle,
    Cone,
    Countersink,
    Cylinder,
    Ellipse,
    Feature,
    ParallelPlanes,
    Plane,
    Point,
    Pose,
    Slot,
    Sphere,
)
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import section_curves
from truegauge.core.sections.plane import upright
from truegauge.drawing.units import NumberFormat
from truegauge.palette import MINUS, PLUS
from truegauge.rendering.camera import Camera

_NEEDLES = 900
_LONGEST = 34.0  # pixels


def paint_over(painter: QPainter, session: Session, camera: Camera, theme: Theme, size: QSize) -> None:
    """Paint needles and constructed features of the selection."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    sheet = _Sheet(painter, camera, size)
    for measured in session.selection.measured():
        if (
            isinstance(measured, Measured) and session.shown.needles and not session.shown.why
            and len(session.selection.groups) == 1
        ):  # fmt: skip
            _needles(sheet, measured, theme, NumberFormat(session.plan.unit, session.plan.decimals))
        elif isinstance(measured, Built):
            _outline(sheet, measured.feature, measured.nominal, QPen(QColor(theme.accent), 2.2))
    if session.evaluator is not None and session.sample is None:
        for feature in session.selection.features():
            nominal = session.evaluator.nominal(feature.group, session.plan)
            if not isinstance(nominal, NotComputed) and nominal.built:
                _outline(sheet, nominal.feature, nominal, QPen(QColor(theme.accent), 2.2))
    offer = session.proposing.preview
    if offer is not None:
        pen = QPen(QColor(theme.accent), 2.6, Qt.PenStyle.DashLine)
        _outline(sheet, offer.measured or offer.nominal.feature, offer.nominal, pen)
    painter.restore()


def paint_sections(
    painter: QPainter, session: Session, camera: Camera, theme: Theme, size: QSize, held: str = ""
) -> None:  # fmt: skip
    """Paint where the sections of the plan cut the part, as far as their curves are known; one may be `held`."""
    evaluator = session.evaluator
    if evaluator is None or not evaluator.can_pick:
        return
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    sheet = _Sheet(painter, camera, size)
    for section in session.plan.sections:
        curves = section_curves(evaluator.context(session.plan, None), section)
        for rows in curves.nominal.pieces():
            pen = QPen(QColor(theme.accent), 3.6 if section.id == held else 2.2)
            sheet.polyline(curves.plane.solid(curves.nominal.flat[rows]), pen)
    painter.restore()


class _Sheet:
    """A painter that takes places on the part."""

    def __init__(self, painter: QPainter, camera: Camera, size: QSize) -> None:
        self.painter, self.camera = painter, camera
        self._width, self._height = size.width(), size.height()

    @property
    def mm_per_pixel(self) -> float:
        return self.camera.height / max(1, self._height)

    def at(self, points: np.ndarray) -> np.ndarray:
        """Return pixels (n, 2)."""
        shares = self.camera.project(points, self._width / max(1, self._height))
        return shares[:, :2] * [self._width, self._height]

    def polyline(self, points: np.ndarray, pen: QPen) -> None:
        self.painter.setPen(pen)
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in self.at(points)]))

    def area(self, corners: np.ndarray, pen: QPen) -> None:
        fill = QColor(pen.color())
        fill.setAlpha(46)
        self.painter.setPen(pen)
        self.painter.setBrush(fill)
        self.painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in self.at(corners)]))

    def note(self, text: str, theme: Theme) -> None:
        """Write beside the ruler."""
        self.painter.setFont(font(11))
        self.painter.setPen(QColor(theme.soft))
        self.painter.drawText(QPointF(RULER_SHARE * self._width + 100, self._height - 13.5), text)

    def dot(self, point: np.ndarray, pen: QPen) -> None:
        x, y = self.at(point[None])[0]
        self.painter.setPen(QPen(pen.color(), 2))
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.drawEllipse(QPointF(x, y), 7, 7)
        self.painter.drawLine(QLineF(x - 11, y, x + 11, y))
        self.painter.drawLine(QLineF(x, y - 11, x, y + 11))


def _needles(sheet: _Sheet, measured: Measured, theme: Theme, numbers: NumberFormat) -> None:
    """Draw residuals as scaled normals: out of the material one way, into it the other, each in its colour."""
    means, residuals, feature = measured.means, measured.mean_residuals, measured.feature
    if len(means) == 0:
        return
    rows = np.arange(len(means)) if len(means) <= _NEEDLES else np.linspace(0, len(means) - 1, _NEEDLES).astype(int)
    points, residual = means[rows], residuals[rows]
    outward = feature.outward(points)
    facing = measured.nominal.outward * (outward @ sheet.camera.back) > -0.15
    points, residual, outward = points[facing], residual[facing], outward[facing]
    if len(points) == 0:
        return
    largest = float(np.abs(residuals).max())
    if largest < 0.5 * numbers.step:  # what shows as zero has no needle
        return
    wanted = _LONGEST * sheet.mm_per_pixel / largest
    power = 10.0 ** np.floor(np.log10(wanted))
    factor = max(k * power for k in (1, 2, 5) if k * power <= wanted)
    feet, tips = sheet.at(points), sheet.at(points + factor * residual[:, None] * outward)
    out = measured.nominal.outward * residual > 0
    for color, chosen in ((PLUS, out), (MINUS if theme.name == "day" else "#8F8EE8", ~out)):
        sheet.painter.setPen(QPen(QColor(color), 1.3))
        sheet.painter.drawLines([QLineF(*foot, *tip) for foot, tip in zip(feet[chosen], tips[chosen], strict=True)])
    text = f"needles {factor:,.0f} times, longest {numbers.value(largest)} {numbers.unit}"
    sheet.note(text, theme)


def _ring(pose: Pose, a: float, b: float) -> np.ndarray:
    """Return an ellipse about the z axis of a pose, closed (97, 3)."""
    angle = np.linspace(0, 2 * np.pi, 97)
    return np.asarray(np.column_stack([a * np.cos(angle), b * np.sin(angle), 0 * angle]) @ pose.axes + pose.origin)


def _outline(sheet: _Sheet, feature: Feature, nominal: Nominal, pen: QPen) -> None:
    """Draw a feature that has no faces."""
    angle = np.linspace(0, 2 * np.pi, 97)
    match feature:
        case Point():
            sheet.dot(feature.center, pen)
        case Circle() | Ellipse():
            pose = feature.pose
            a, b = (feature.radius, feature.radius) if isinstance(feature, Circle) else pose.sizes
            sheet.polyline(_ring(pose, a, b), pen)
            sheet.dot(feature.center, pen)
        case Countersink():
            sheet.polyline(_ring(feature.pose, feature.radius, feature.radius), pen)
            sheet.dot(feature.center, pen)
        case Slot():
            pose = feature.pose
            turned = np.linspace(-np.pi / 2, np.pi / 2, 49)
            end = pose.sizes[1] * np.column_stack([np.cos(turned), np.sin(turned), 0 * turned])
            end[:, 0] += pose.sizes[0]
            both = np.vstack([end, -end, end[:1]]) @ pose.axes + pose.origin
            sheet.polyline(both, pen)
            sheet.dot(feature.center, pen)
        case Sphere():
            x, y = sheet.camera.right, sheet.camera.up
            ring = feature.center + feature.radius * (np.outer(np.cos(angle), x) + np.outer(np.sin(angle), y))
            sheet.polyline(ring, pen)
            sheet.dot(feature.center, pen)
        case Plane() | ParallelPlanes():
            place = nominal.center
            normal = feature.normal
            origin = feature.point if isinstance(feature, Plane) else feature.center
            middle = place - float((place - origin) @ normal) * normal
            x, y, _ = upright(normal)
            half = max(nominal.length, 10.0) / 2
            sheet.area(middle + half * np.array([x + y, y - x, -x - y, x - y]), pen)
        case _:
            line = axis_of(feature)
            if line is None:
                return
            middle = line.point + float((nominal.center - line.point) @ line.direction) * line.direction
            half = max(nominal.length, 10.0) * (0.62 if isinstance(feature, Cylinder | Cone) else 0.75)
            sheet.polyline(np.array([middle - half * line.direction, middle + half * line.direction]), pen)
