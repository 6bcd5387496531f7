"""What the route is planned around: how the part lies, the safe envelope, what holds the part."""

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QFileDialog, QHBoxLayout, QWidget

from truegauge.app.track.model import RouteModel
from truegauge.app.widgets.bench import button, label, number_box
from truegauge.app.widgets.box_list import BoxList, BoxOwner, in_order
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.frozen_model import Three
from truegauge.core.progress import Progress
from truegauge.core.routes.document import PartFixture
from truegauge.core.routes.pieces import Pieces
from truegauge.drawing.units import NumberFormat
from truegauge.formats.fixture_file import FIXTURE_ENDINGS, read_fixture

_UP: dict[str, tuple[str, Three]] = {
    "z": ("Z is up", (0.0, 0.0, 1.0)), "-z": ("-Z is up", (0.0, 0.0, -1.0)), "x": ("X is up", (1.0, 0.0, 0.0)),
    "-x": ("-X is up", (-1.0, 0.0, 0.0)), "y": ("Y is up", (0.0, 1.0, 0.0)), "-y": ("-Y is up", (0.0, -1.0, 0.0)),
}  # fmt: skip
# Key, words, least, most, decimals, step.
_NUMBERS = (
    ("turn", "turned, °", -360.0, 360.0, 1, 15.0),
    ("height", "over the table, mm", 0.0, 2000.0, 1, 10.0),
    ("sides", "envelope beside, mm", 0.0, 1000.0, 1, 5.0),
    ("top", "envelope over, mm", 0.0, 1000.0, 1, 5.0),
    ("near", "told when nearer, mm", 0.0, 50.0, 2, 0.1),
    ("rows", "rows of pieces (along Y)", 1.0, 50.0, 0, 1.0),
    ("columns", "columns of pieces (along X)", 1.0, 50.0, 0, 1.0),
    ("row_pitch", "rows apart, mm", 0.1, 5000.0, 2, 10.0),
    ("column_pitch", "columns apart, mm", 0.1, 5000.0, 2, 10.0),
)
_PIECES = ("rows", "columns", "row_pitch", "column_pitch")


class AroundPanel(Fold):
    """Seen while nothing is selected."""

    def __init__(self, model: RouteModel, parent: QWidget | None = None) -> None:
        super().__init__("What the route is planned around", parent)
        self.model, self.session = model, model.session
        self._filling = False
        self.up = choice([(k, words) for k, (words, _) in _UP.items()], self._on_up, "which side is up")
        self.column.addWidget(self.up)
        self.boxes: dict[str, QDoubleSpinBox] = {}
        for key, words, least, most, decimals, step in _NUMBERS:
            box = self.boxes[key] = number_box(least, most, decimals)
            box.setSingleStep(step)
            box.setAccessibleName(words)
            keep_size(box, width=78)
            box.valueChanged.connect(partial(self._on_number, key))
            line = QHBoxLayout()
            line.addWidget(label(words, "soft"))
            line.addStretch()
            line.addWidget(box)
            self.column.addLayout(line)
        self.through = QCheckBox("shorter ways inside the envelope")
        self.through.toggled.connect(self._on_inside)
        self.column.addWidget(self.through)
        owner = BoxOwner(
            lambda: self.model.route.fixtures, self._add, self._remove,
            lambda: NumberFormat(self.session.plan.unit, 1), self.session.notify,
        )  # fmt: skip
        words = "What holds the part: boxes, cylinders (ends and radius), or a file of them."
        self.fixtures = BoxList(owner, words, "what holds the part")
        self.where = choice([("part", "in part coordinates"), ("table", "in table coordinates")], lambda _: None,
                            "coordinates of what holds the part")  # fmt: skip
        self.radius = number_box(0.0, 1e4, 2, suffix=" mm")
        self.radius.setSpecialValueText("a box")
        self.radius.setAccessibleName("radius of a cylinder")
        keep_size(self.radius, width=92)
        self.file = button("From a file …", self._on_file)
        self.file.setToolTip("An STL mesh (mm), or the faces of a STEP or IGES file, in the coordinates above")
        self.fixtures.put_before_corners(self.where, row("radius", self.radius))
        self.column.addWidget(self.fixtures)
        self.column.addWidget(self.file)
        self.header.toggled.connect(lambda _: self.refresh())

    def refresh(self) -> None:
        """Show what was said."""
        route = self.model.route
        self._filling = True
        choose(self.up, next((k for k, (_, up) in _UP.items() if up == route.placement.up), "z"))
        values = {
            "turn": route.placement.turn_deg, "height": route.placement.height, "sides": route.envelope.low[0],
            "top": route.envelope.high[2], "near": route.near,
            **{key: float(getattr(route.pieces or Pieces(), key)) for key in _PIECES},
        }  # fmt: skip
        for key in _PIECES[2:]:
            self.boxes[key].setEnabled(route.pieces is not None)
        for key, value in values.items():
            self.boxes[key].setValue(value)
        self.through.setChecked(route.envelope.inside)
        self.fixtures.refresh()
        self._filling = False

    def _on_up(self, key: str) -> None:
        route = self.model.route
        self.model.run(route.replace(placement=route.placement.replace(up=_UP[key][1])), "how the part lies")

    def _on_number(self, key: str, value: float) -> None:
        if self._filling:
            return
        route = self.model.route
        if key in _PIECES:
            self._on_pieces(key, value)
            return
        placement, envelope = route.placement, route.envelope
        changes: dict[str, dict[str, object]] = {
            "turn": {"placement": placement.replace(turn_deg=value)},
            "height": {"placement": placement.replace(height=value)},
            "sides": {"envelope": envelope.replace(
                low=(value, value, envelope.low[2]), high=(value, value, envelope.high[2]))},
            "top": {"envelope": envelope.replace(high=(*envelope.high[:2], value))},
            "near": {"near": value},
        }  # fmt: skip
        self.model.run(route.replace(**changes[key]), "what the route is planned around", f"around {key}")

    def _on_pieces(self, key: str, value: float) -> None:
        route = self.model.route
        pieces = (route.pieces or Pieces()).replace(**{key: round(value) if key in _PIECES[:2] else value})
        made = pieces if pieces.count > 1 else None
        self.model.run(route.replace(pieces=made), "pieces on the table", f"around {key}")

    def _on_inside(self, on: bool) -> None:
        if not self._filling:
            route = self.model.route
            self.model.run(route.replace(envelope=route.envelope.replace(inside=on)), "ways inside the envelope")

    def _add(self, name: str, a: Three, b: Three) -> None:
        radius, where = self.radius.value(), self.where.currentData()
        if radius > 0:
            self._take(PartFixture(name=name, shape="cylinder", low=a, high=b, radius=radius, where=where))
        else:
            low, high = in_order(a, b)
            self._take(PartFixture(name=name, low=low, high=high, where=where))

    def _take(self, made: PartFixture) -> None:
        route = self.model.route
        kept = tuple(f for f in route.fixtures if f.name != made.name)
        self.model.run(route.replace(fixtures=(*kept, made)), f"add {made.name}")

    def _on_file(self) -> None:
        endings = " ".join(f"*{e}" for e in FIXTURE_ENDINGS)
        chosen, _ = QFileDialog.getOpenFileName(self.window(), "What holds the part", "", f"Fixtures ({endings})")
        if chosen:
            self.read(Path(chosen))

    def read(self, path: Path) -> None:
        """Take what holds the part from a file; read beside the window."""
        on_table = self.where.currentData() == "table"

        def work(progress: Progress) -> PartFixture:
            return read_fixture(path, on_table=on_table, progress=progress)

        self.session.queue.start(work, self._take, f"Reading {path.name}")

    def _remove(self, k: int) -> None:
        route = self.model.route
        self.model.run(route.replace(fixtures=route.fixtures[:k] + route.fixtures[k + 1 :]), "remove a fixture")
