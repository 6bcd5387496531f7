"""What does not fit in a window: cut texts, widgets over each other or off their panel, overlays on the part."""

import contextlib
import re
from itertools import combinations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetrics, QFontMetricsF
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QAbstractSpinBox,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QStyle,
    QStyleOptionButton,
    QStyleOptionComboBox,
    QToolButton,
    QWidget,
)

from truegauge.app.shell.stage import STAGES
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.devices.model import PAGES as DEVICE_PAGES
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.evaluate.bench import PAGES as EVALUATE_PAGES
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.blade.page import BladePage
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.measure.points.model import PointsModel
from truegauge.app.view.tag_painter import part_outline
from truegauge.app.view.view import View
from truegauge.app.widgets.text_size import TEXT
from truegauge.core.samples.document import Touch

_SLACK = 2  # pixels


def _said(widget):
    text = getattr(widget, "text", None)
    name = widget.accessibleName() or (text() if callable(text) else "")
    return f"{type(widget).__name__} {str(name)[:44]!r}"


def _shown(root, kind=QWidget):
    return [w for w in root.findChildren(kind) if w.isVisibleTo(root.window()) and not w.visibleRegion().isEmpty()]


def _plain(text):
    return re.sub(r"<[^>]+>", "", text).replace("&&", "&")


def cut_texts(root):
    """Return what says less than it means to, each with its text."""
    found = []
    for label in _shown(root, QLabel):
        text = label.text()
        if not text or (label.pixmap() is not None and not label.pixmap().isNull()):
            continue
        if label.wordWrap():
            if label.heightForWidth(label.width()) > label.height() + _SLACK:
                found.append(f"cut below: {text[:60]!r}")
            words = max(_plain(text).replace("/\u200b", "/ ").split(), key=len, default="")
            if label.fontMetrics().horizontalAdvance(words) > label.width() + _SLACK:
                found.append(f"word wider than its label: {words!r}")
        elif label.sizeHint().width() > label.width() + _SLACK:
            found.append(f"cut: {text[:60]!r} by {label.sizeHint().width() - label.width()}")
        elif label.fontMetrics().height() * (text.count("\n") + 1) > label.height() + _SLACK:
            found.append(f"cut in height: {text[:60]!r}")
        if text.endswith("…") and len(text) > 2 and not text.endswith(" …"):
            found.append(f"elided: {text!r}")
    for button in [*_shown(root, QPushButton), *_shown(root, QToolButton), *_shown(root, QCheckBox)]:
        text = button.text()
        if not text:
            continue
        wide = QFontMetrics(button.font()).horizontalAdvance(text.replace("&", ""))
        room = button.width()
        if isinstance(button, QPushButton):
            option = QStyleOptionButton()
            button.initStyleOption(option)
            room = button.style().subElementRect(QStyle.SubElement.SE_PushButtonContents, option, button).width()
            if not button.icon().isNull():
                wide += button.iconSize().width() + 4
        elif isinstance(button, QCheckBox):
            wide = button.sizeHint().width()
        if wide > room + _SLACK:
            found.append(f"cut button: {text!r} by {wide - room}")
    for box in _shown(root, QComboBox):
        option = QStyleOptionComboBox()
        box.initStyleOption(option)
        room = box.style().subControlRect(
            QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, box
        ).width()  # fmt: skip
        wide = QFontMetrics(box.font()).horizontalAdvance(box.currentText())
        if wide > room + _SLACK:
            found.append(f"cut choice: {box.currentText()!r} by {wide - room}")
    for line in _shown(root, QLineEdit):
        room = line.contentsRect().width() - line.textMargins().left() - line.textMargins().right() - 4
        if isinstance(line.parentWidget(), QAbstractSpinBox):
            room = line.width()
        text = line.displayText() or line.placeholderText()
        wide = QFontMetrics(line.font()).horizontalAdvance(text)
        if wide > room + _SLACK and not line.hasFocus():
            found.append(f"cut field: {text!r} by {wide - room}")
    return found


def overlapping(root):
    """Return widgets that a layout has put over each other, or that stick out of what they are in."""
    found = []
    for parent in [root, *_shown(root)]:
        if isinstance(parent, View | QAbstractScrollArea) or parent.layout() is None:
            continue
        layout = parent.layout()
        children = [c for c in parent.children() if isinstance(c, QWidget) and c.isVisibleTo(parent)]
        inside = [c for c in children if not c.isWindow() and _laid_out(layout, c)]
        for a, b in combinations(inside, 2):
            both = a.geometry() & b.geometry()
            if both.width() > _SLACK and both.height() > _SLACK:
                found.append(f"over each other: {_said(a)} and {_said(b)}")
        for w in inside:
            if not parent.rect().adjusted(-_SLACK, -_SLACK, _SLACK, _SLACK).contains(w.geometry()):
                found.append(f"off its panel: {_said(w)} {w.geometry().getRect()} in {parent.size().toTuple()}")
    for area in _shown(root, QScrollArea):
        if area.widget() is not None and area.widget().width() > area.viewport().width() + _SLACK:
            found.append(f"wider than its panel: {_said(area.widget())}")
    return found


def _laid_out(layout, widget):
    return layout.indexOf(widget) >= 0 or any(
        layout.itemAt(k).layout() is not None and _laid_out(layout.itemAt(k).layout(), widget)
        for k in range(layout.count())
    )


def widest(window):
    """Name what needs the width."""
    return [f"{type(w).__name__} {w.minimumSizeHint().width()}" for w in
            (window.header, window.benches, window.center, window.ledger, window.view)]  # fmt: skip


def unnamed(root):
    """Return what takes the keys, and says nothing to a screen reader."""
    found = []
    for w in _shown(root):
        takes = bool(w.focusPolicy().value & Qt.FocusPolicy.TabFocus.value) and w.focusProxy() is None
        if not takes or isinstance(w, QScrollArea):
            continue
        text = getattr(w, "text", None)
        tells = callable(text) and not isinstance(w, QLineEdit | QAbstractSpinBox)  # what is typed is no name
        said = w.accessibleName() or (text() if tells else "")
        if not said:
            found.append(f"has no name: {type(w).__name__} in {type(w.parentWidget()).__name__}")
    return found


def overlays(view, notice=None, *, tags=True):
    """Return what floats over the view on other floating things, or tags on the part's silhouette."""
    k = TEXT.factor
    places = {}
    for child in view.children():
        if isinstance(child, QWidget) and child.isVisibleTo(view):
            places[_said(child)] = QRectF(child.geometry())
    if notice is not None and notice.isVisible():
        places["message"] = QRectF(notice.geometry())
    height = view.height()
    places["directions of the axes"] = QRectF(8 * k, height - 92 * k, 64 * k, 62 * k)
    places["ruler"] = QRectF(16 * k, height - 22 * k, 0.2 * view.width(), 20 * k)
    boxes = {f"tag {key}": QRectF(b.x() * k, b.y() * k, b.width() * k, b.height() * k)
             for key, b in view.tags_shown.boxes.items()}  # fmt: skip
    places.update(boxes)
    found = [f"over each other: {a} and {b}" for (a, x), (b, y) in combinations(places.items(), 2)
             if (x & y).width() > _SLACK and (x & y).height() > _SLACK]  # fmt: skip
    found += [f"off the view: {name}" for name, box in places.items()
              if not QRectF(view.rect()).adjusted(-_SLACK, -_SLACK, _SLACK, _SLACK).contains(box)]  # fmt: skip
    if tags and boxes and view.camera is not None:
        part = part_outline(view._session, view.camera, QRectF(view.rect()))
        if part is not None:
            for name, b in boxes.items():
                if part.meets((b.x(), b.y(), b.width(), b.height())):
                    found.append(f"on the part: {name}")
    return found


@contextlib.contextmanager
def painted_elisions():
    """Collect texts that are cut short while they are painted."""
    found = []
    originals = {cls: cls.elidedText for cls in (QFontMetrics, QFontMetricsF)}

    def watch(cls):
        def elided(self, text, *rest):
            shown = originals[cls](self, text, *rest)
            if shown != text:
                found.append(f"painted short: {text!r} as {shown!r}")
            return shown

        return elided

    for cls in originals:
        cls.elidedText = watch(cls)
    try:
        yield found
    finally:
        for cls, was in originals.items():
            cls.elidedText = was


def everything(window, width=0):
    """Return all that does not fit in a window as it is now, and whether it fits the screen it was made for."""
    with painted_elisions() as short:
        window.grab()
    if width and window.width() != width:
        found = [f"the window is {window.width()} wide instead of {width}: {widest(window)}"]
    else:
        found = []
    found += [*dict.fromkeys(short), *cut_texts(window), *overlapping(window), *unnamed(window)]
    if window.view.isVisible():
        window.view.finish()
        found += overlays(window.view, window.floating.notice)
    return found


def points(window, settle):
    """Go through the page of points."""
    s, m = window.session, window.get(PointsModel)
    before = s.sample.touches
    names = ["main bore 1", "point at the long edge", *(f"P{k}" for k in range(20))]
    made = [Touch(target=name, place=(10.0 * k, 5.0 * k, 20.0)) for k, name in enumerate(names)]
    s.document.set_touches((*before, *made))
    m.set_page("points")
    settle()
    yield "measure, points"
    m.offer_by_name()
    settle()
    yield "measure, points offered"
    m.leave()
    for count in (1, 5):
        m.choose(p.key for p in m.points[-count:])
        settle()
        yield f"measure, {count} of the points"
    m.set_page("features")
    s.document.set_touches(before)
    settle()


def scenes(window, settle):
    """Go through every stage and page with what is open; yields the name of each."""
    s = window.session
    some = [f for f in s.plan.features if f.faces][:2]
    s.selection.select(())
    for key in STAGES:
        s.set_stage(key)
        settle()
        if key == "align":
            for own in s.plan.alignments:
                window.get(AlignModel).choose(own.id)
                settle()
                yield f"align, {own.name}"
        elif key == "devices":
            for page, words in DEVICE_PAGES:
                window.get(DevicesModel).set_page(page)
                settle()
                yield f"devices, {words}"
        elif key == "evaluate":
            for page, words in EVALUATE_PAGES:
                window.get(EvaluateModel).set_page(page)
                settle()
                yield f"evaluate, {words}"
            if s.plan.sections:
                s.showing.look_at_section(s.plan.sections[0].id)
                settle()
                yield "evaluate, flat section"
                s.showing.look_at_section("")
            window.get(EvaluateModel).set_page("surface")
            window.get(SurfaceModel).add()
            s.document.history.mark_saved()
            settle()
            yield "evaluate, a surface check"
            window.get(SurfaceModel).remove()
            window.get(EvaluateModel).set_page("blade")
            window.get(BladeModel).add("20")
            settle()
            page = window.findChild(BladePage)
            for fold in page.folds:
                fold.header.setChecked(True)
            s.document.history.mark_saved()
            s.document.plan_changed.emit()
            settle()
            yield "evaluate, a blade with all that is set of it"
            for fold in page.folds:
                fold.header.setChecked(False)
            window.get(BladeModel).remove()
            s.document.history.mark_saved()
            s.document.plan_changed.emit()
            window.get(EvaluateModel).set_page("map")
        else:
            yield key
        if key in ("part", "measure"):
            s.selection.select(tuple(f.faces for f in some[:1]))
            settle()
            yield f"{key}, a feature"
            s.selection.select(tuple(f.faces for f in some))
            settle()
            yield f"{key}, two features"
            s.selection.select(())
        if key == "measure":
            s.notify("'x' is not a length for the place of a section; it stays as it was. " * 2)
            settle()
            yield "measure, a message"
            window.floating.notice.dismiss()
        if key == "measure" and s.sample is not None and s.evaluation is not None:
            yield from points(window, settle)
        if key == "measure" and s.evaluation is not None:
            s.selection.select_characteristic(s.plan.characteristics[-1].id)
            s.show(why=True)
            settle()
            yield "measure, why"
            s.show(why=False)
            if window.ledger.mode == "whole":
                window.ledger.set_mode("narrow")
                settle()
                yield "measure, narrow ledger"
                window.ledger.set_mode("whole")
            s.selection.select(())
    s.set_stage("part")
