"""The Part bench: the CAD model."""

from collections import Counter
from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from truegauge.app.benches.base import Bench, Pairs, button, label
from truegauge.app.session import Session


class PartBench(Bench):
    """What the part is, and opening another one."""

    title = "Part"

    def __init__(self, session: Session, open_part: Callable[[], object], parent: QWidget | None = None) -> None:
        self._open_part = open_part
        super().__init__(session, parent)

    def _build(self) -> None:
        self.name = label("", "heading", wrap=True)
        self.pairs = Pairs()
        self.hint = label("", "soft", wrap=True)
        self.faces = label("Faces", "heading")
        self.kinds = Pairs()
        self.open = button("Open part …", self._open_part)
        for widget in (self.name, self.pairs, self.faces, self.kinds, self.hint, self.open):
            self.column.addWidget(widget)
        self.column.addStretch()

    def refresh(self) -> None:
        """Show the part."""
        model, n = self.session.model, self.numbers
        reference = self.session.plan.part
        self.open.setProperty("main", model is None)
        self.open.style().polish(self.open)
        self.faces.setVisible(model is not None)
        if model is None or reference is None:
            self.name.setText("No part yet")
            self.pairs.show_pairs([])
            self.kinds.show_pairs([])
            self.hint.setText(
                "A part is a STEP file (AP203, AP214 or AP242). Its surfaces are used exactly as they are."
            )
            return
        size = model.box[1] - model.box[0]
        self.name.setText(reference.file_name)
        self.pairs.show_pairs([(axis, f"{n.value(float(s))} {n.unit}") for axis, s in zip("XYZ", size, strict=True)])
        words = {"PLANE": "planes", "CYLINDER": "cylinders", "CONE": "cones", "SPHERE": "spheres", "TORUS": "tori",
                 "BSPLINE": "free-form"}  # fmt: skip
        counts = Counter(words[f.surface.kind.name] for f in model.faces)
        self.kinds.show_pairs([(name, str(count)) for name, count in counts.most_common()])
        self.hint.setText("Click a face to select it, Ctrl+click a second one. Drag to turn, right-drag to shift.")
