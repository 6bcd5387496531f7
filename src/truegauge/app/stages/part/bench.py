"""The Part bench: the CAD model, what it says about itself, and what changed since the revision before."""

from collections import Counter
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Bench, Pairs, button, label, say
from truegauge.app.widgets.text_size import grow_to
from truegauge.app.widgets.theme import Theme
from truegauge.core.cad.recognition import describe_face, whole_surface

_WORDS = {
    "PLANE": ("plane", "planes"), "CYLINDER": ("cylinder", "cylinders"), "CONE": ("cone", "cones"),
    "SPHERE": ("sphere", "spheres"), "TORUS": ("torus", "tori"), "BSPLINE": ("free-form", "free-form"),
}  # fmt: skip
_FACES = Qt.ItemDataRole.UserRole
_ROW = 19
_Rows = list[tuple[str, tuple[tuple[int, ...], ...]]]


class PartBench(Bench):
    """What the part is, and opening another one."""

    title = "Part"

    def __init__(
        self, session: Session, theme: Theme, open_part: Callable[[], object], edit_nominals: Callable[[], object],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self._open_part, self._edit_nominals = open_part, edit_nominals
        super().__init__(session, parent)

    def _build(self) -> None:
        self.name = label("", "heading", wrap=True)
        self.pairs = Pairs()
        self.kinds = label("", "soft", wrap=True)
        self.notes = label("", "soft", wrap=True)
        self.hint = label("", "soft", wrap=True)
        self.bodies_heading = label("Bodies", "heading")
        self.bodies = self._list("bodies")
        self.drawing = label("Drawing in the file", "heading")
        self.drawing_text = label("", "soft", wrap=True)
        self.take_over = button("Take over the drawing", self.session.document.take_over_annotations)
        self.changes_heading = label("Changed since the revision before", "heading", wrap=True)
        self.changes = self._list("what changed since the revision before")
        self.elements_heading = label("Found on the part", "heading")
        self.elements = self._list("found on the part")
        self.pattern = button("", self.session.selection.take_pattern)
        self.open = button("Open part …", self._open_part)
        self.typed = button("Nominal features …", self._edit_nominals)
        for widget in (self.name, self.pairs, self.kinds, self.notes, self.bodies_heading, self.bodies,
                       self.drawing, self.drawing_text, self.take_over,
                       self.changes_heading, self.changes, self.elements_heading, self.elements, self.pattern,
                       self.hint, self.open, self.typed):  # fmt: skip
            self.column.addWidget(widget)
        self.column.addStretch()

    def _list(self, name: str) -> QListWidget:
        made = QListWidget()
        made.setAccessibleName(name)
        made.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setTextElideMode(Qt.TextElideMode.ElideRight)
        made.itemActivated.connect(self._on_chosen)
        made.itemClicked.connect(self._on_chosen)
        return made

    def _on_chosen(self, item: QListWidgetItem) -> None:
        groups = item.data(_FACES)
        if groups:
            self.session.selection.select(tuple(tuple(g) for g in groups))

    def _fill(self, made: QListWidget, rows: _Rows, least: int) -> None:
        there = [(made.item(i).text(), made.item(i).data(_FACES)) for i in range(made.count())]
        if there != [(text, [list(g) for g in groups]) for text, groups in rows]:
            made.clear()
            for text, groups in rows:
                item = QListWidgetItem(text)
                item.setToolTip(text)
                item.setData(_FACES, [list(g) for g in groups])
                made.addItem(item)
        grow_to(made, max(1, len(rows)) * _ROW + 6, least * _ROW + 6)
        made.setVisible(bool(rows))

    def refresh(self) -> None:
        """Show the part."""
        model, n = self.session.model, self.numbers
        reference = self.session.plan.part
        self.open.setProperty("main", model is None)
        self.open.style().polish(self.open)
        for widget in (self.bodies_heading, self.bodies, self.drawing, self.drawing_text, self.take_over,
                       self.changes_heading, self.changes,
                       self.elements_heading, self.elements, self.pattern):  # fmt: skip
            widget.setVisible(False)
        if model is None or reference is None:
            self.name.setText("No part yet")
            self.pairs.show_pairs([])
            self.kinds.setText("")
            say(self.notes, "")
            self.hint.setText(
                "A part is a STEP file (AP203, AP214 or AP242) or an IGES file: its surfaces are used exactly as "
                "they are. Without CAD, type in or read nominal features and points."
            )
            return
        size = model.box[1] - model.box[0]
        self.name.setText(reference.file_name)
        pairs = [(axis, f"{n.value(float(s))} {n.unit}") for axis, s in zip("XYZ", size, strict=True)]
        if model.unit not in ("", "millimetre"):
            pairs.append(("unit in the file", model.unit))
        if len(model.bodies) > 1:
            pairs.append(("bodies", str(len(model.bodies))))
        counts = Counter(f.surface.kind.name for f in model.faces)
        self.kinds.setText(
            f"{len(model.faces)} faces: " + ", ".join(f"{k} {_WORDS[name][k > 1]}" for name, k in counts.most_common())
        )
        hidden = len(self.session.shown.look.hidden)
        self.pairs.show_pairs(pairs + ([("hidden faces", str(hidden))] if hidden else []))
        say(self.notes, "\n".join(f"Note: {x}." for x in model.notes))
        self._show_bodies()
        self._show_drawing()
        self._show_changes()
        self._show_elements()
        self.hint.setText(
            "Click a face to select it, Ctrl+click a second one, Alt+click what lies behind. "
            "Drag to turn, right-drag to shift. H hides, T sees through, X cuts."
        )

    def _show_bodies(self) -> None:
        """Show the bodies of an assembly, or the features of a part without CAD; choosing one selects its faces."""
        model = self.session.model
        if model is None or len(model.bodies) < 2:
            return
        faces: dict[int, list[tuple[int, ...]]] = {}
        for face in model.faces:
            faces.setdefault(face.body, []).append((face.index,))
        self.bodies_heading.setVisible(True)
        self._fill(self.bodies, [(b.name, tuple(faces.get(k, []))) for k, b in enumerate(model.bodies)], 4)

    def _show_drawing(self) -> None:
        model = self.session.model
        assert model is not None
        a = model.annotations
        if not a.count and not a.not_understood:
            return
        text = f"{len(a.datums)} datums, {len(a.dimensions)} dimensions, {len(a.tolerances)} geometric tolerances."
        gaps = self.session.document.annotation_gaps or a.not_understood
        if gaps:
            text += " Not understood: " + "; ".join(gaps) + "."
        self.drawing.setVisible(True)
        self.take_over.setVisible(a.count > 0)
        say(self.drawing_text, text)

    def _show_changes(self) -> None:
        model, matching = self.session.model, self.session.document.matching
        if model is None or matching is None:
            return
        rows: _Rows = [
            (f"{c.what}: {describe_face(model, c.new)}", (whole_surface(model, c.new),)) for c in matching.changes
        ]
        rows += [(f"new: {describe_face(model, f)}", (whole_surface(model, f),)) for f in matching.added]
        if matching.gone:
            rows.append((f"gone: {len(matching.gone)} faces", ()))
        if not rows:
            rows = [("nothing: every face is as before", ())]
        self.changes_heading.setVisible(True)
        self._fill(self.changes, rows, 5)

    def _show_elements(self) -> None:
        evaluator = self.session.evaluator
        if evaluator is None or not evaluator.knows_patterns:
            return
        rows: _Rows = []
        in_pattern = set()
        for pattern in evaluator.patterns.all:
            first = pattern.members[0]
            rows.append((f"{len(pattern.members)} x {first.describe(short=True)}, {pattern.describe(short=True)}",
                         tuple(m.groups[0] for m in pattern.members)))  # fmt: skip
            in_pattern |= {id(m) for m in pattern.members}
        rows += [(e.describe(), e.groups) for e in evaluator.elements.all if id(e) not in in_pattern]
        self.elements_heading.setVisible(bool(rows))
        self._fill(self.elements, rows, 5)
        chosen = self.session.selection.pattern()
        if chosen is not None and len(self.session.selection.groups) < len(chosen.members):
            self.pattern.setText(f"Select all {len(chosen.members)} (P)")
            self.pattern.setVisible(True)
