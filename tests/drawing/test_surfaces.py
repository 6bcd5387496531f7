"""What is drawn once is the same on the painter, in a PDF and in an SVG."""

import io
import re
from xml.etree import ElementTree

import numpy as np
import pypdfium2
import pytest
from PySide6.QtGui import QColor, QImage, QPainter
from reportlab.pdfgen.canvas import Canvas

from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_cells
from truegauge.drawing.frames import draw_frame, frame_width
from truegauge.drawing.gauge_bar import BAND_END, BAND_START, TICKS, BarColors, bar_of, draw_gauge_bar
from truegauge.drawing.glyphs import GLYPHS, draw_glyph
from truegauge.drawing.svg_surface import SvgSurface
from truegauge.drawing.tag_text import TagText
from truegauge.drawing.tags import TagColors, draw_tag, tag_size
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.pdf_surface import PdfSurface, drawable

COLORS = BarColors("#E6E0D0", "#A59F8F", "#BF3A2B")
SIDE = 240


def drawn(surface, draw):
    """Return what a surface shows of a drawing, as dark shares (SIDE, SIDE)."""
    if surface == "painter":
        image = QImage(SIDE, SIDE, QImage.Format.Format_RGB32)
        image.fill(QColor("#FFFFFF"))
        painter = QPainter(image)
        with PainterSurface(painter) as made:
            draw(made)
        painter.end()
        pixels = np.frombuffer(image.constBits(), np.uint8).reshape(SIDE, SIDE, 4)[:, :, :3]
    else:
        buffer = io.BytesIO()
        canvas = Canvas(buffer, pagesize=(SIDE, SIDE))
        draw(PdfSurface(canvas, SIDE))
        canvas.save()
        document = pypdfium2.PdfDocument(buffer.getvalue())
        pixels = document[0].render(scale=1.0).to_numpy()[:, :, :3]
        document.close()
    return 1 - pixels.min(axis=2) / 255.0


def blurred(shares):
    return shares.reshape(SIDE // 12, 12, SIDE // 12, 12).mean(axis=(1, 3))


@pytest.mark.parametrize("name", GLYPHS)
def test_every_glyph_looks_alike_on_paper_and_in_the_window(qapp, name):
    def draw(surface):
        draw_glyph(surface, name, 24.0, 24.0, 192.0, "#000000", 6.0)

    painter, pdf = (blurred(drawn(s, draw)) for s in ("painter", "pdf"))
    assert painter.sum() > 1
    assert np.abs(painter - pdf).max() < 0.12
    assert painter[[0, 1, -1, -2]].max() < 0.7  # inside of its box, but for the width of its pen


@pytest.mark.parametrize("name", GLYPHS)
def test_every_glyph_is_an_svg_of_its_own_strokes(name):
    surface = SvgSurface(24, 24)
    draw_glyph(surface, name, 0, 0, 24, "#123456", 1.5)
    root = ElementTree.fromstring(surface.picture())
    assert len(root) == len(GLYPHS[name])
    assert {e.get("stroke") for e in root} == {"#123456"}
    for stroke, element in zip(GLYPHS[name], root, strict=True):
        wanted = {"line": "polyline", "loop": "polygon", "circle": "circle", "arc": "path"}[stroke[0]]
        assert element.tag == wanted
        if stroke[0] == "arc":  # its ends lie on its circle
            x, y, r = (float(v) for v in stroke[1:4])
            ends = re.match(r"M(\S+) (\S+)A\S+ \S+ 0 [01] [01] (\S+) (\S+)", element.get("d")).groups()
            for a, b in (ends[:2], ends[2:]):
                assert np.hypot(float(a) - x, float(b) - y) == pytest.approx(r, abs=0.02)


def result(measured, state, lower=-0.1, upper=0.1):
    c = Characteristic(id="c", number=7, name="a size", kind="diameter", features=("f",), nominal=10.0,
                       lower=lower, upper=upper)  # fmt: skip
    return Result(c, measured, state, "", lower, upper)


@pytest.mark.parametrize(
    ("measured", "state"),
    [
        (10.02, State.WITHIN),
        (10.095, State.NEAR),
        (10.4, State.OUTSIDE),
        (9.7, State.OUTSIDE),
        (None, State.NOT_MEASURED),
    ],
)
def test_the_marker_of_a_bar_stands_where_the_value_is(qapp, measured, state):
    one = result(measured, state)
    where = bar_of(one).position
    if measured is not None and state != State.OUTSIDE:
        assert where == pytest.approx(BAND_START + (BAND_END - BAND_START) * (measured - 9.9) / 0.2)

    def draw(surface):
        draw_gauge_bar(surface, (20.0, 60.0, 200.0, 64.0), one, BarColors("#FFFFFF", "#FFFFFF", "#000000"))

    for surface in ("painter", "pdf"):
        shares = drawn(surface, draw)
        at = (shares.sum(axis=0) * np.arange(SIDE)).sum() / shares.sum()
        assert at == pytest.approx(20 + 200 * where, abs=2.5), surface
        assert (shares.sum(axis=1) * np.arange(SIDE)).sum() / shares.sum() == pytest.approx(60 + 0.31 * 64, abs=1.5)
    svg = SvgSurface(200, 20)
    draw_gauge_bar(svg, (0, 0, 200, 16), one, COLORS)
    root = ElementTree.fromstring(svg.picture())
    strokes = sum(path.get("d").count("M") for path in root.findall("path"))
    assert strokes + len(root.findall("polyline")) == TICKS + 3  # the ends of the band and the nominal value
    marker = root[-1]
    middle = float(marker.get("cx")) if marker.tag == "circle" else np.mean(
        [float(p.split(",")[0]) for p in marker.get("points").split()])  # fmt: skip
    assert middle == pytest.approx(200 * where, abs=1.5)  # a triangle points its way
    assert (marker.get("fill") == "none") == (state == State.NOT_MEASURED)


def framed():
    datums = (DatumReference(letter="A"), DatumReference(letter="B", modifiers=("M",)))
    return Characteristic(id="c", number=3, name="holes", kind="position", features=("f",), nominal=0.0, upper=0.2,
                          datums=datums, modifiers=("M",))  # fmt: skip


def test_a_frame_has_the_same_cells_everywhere_and_its_own_width(qapp):
    cells = frame_cells(framed(), NumberFormat())
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=(400, 100))
    pdf, svg = PdfSurface(canvas, 100), SvgSurface(400, 40)
    image = QImage(400, 100, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    with PainterSurface(painter) as window:
        for surface in (pdf, svg, window):
            assert draw_frame(surface, cells, 5, 5, 20, "#000000") == frame_width(surface, cells, 20)
    painter.end()
    canvas.save()
    document = pypdfium2.PdfDocument(buffer.getvalue())
    said = document[0].get_textpage().get_text_bounded()
    document.close()
    words = [e.text for e in ElementTree.fromstring(svg.picture()).findall("text")]
    assert words == ["0.200", "M", "A", "B", "M"]
    assert "".join(said.split()) == "".join(words)
    boxes = ElementTree.fromstring(svg.picture()).findall("rect")
    assert len([b for b in boxes if b.get("rx") is None]) == len(cells) == 4
    assert len([b for b in boxes if b.get("rx") is not None]) == 2  # the rings around M


@pytest.mark.parametrize("narrow", [False, True])
def test_a_tag_says_everything_within_its_box(qapp, narrow):
    c, numbers = framed(), NumberFormat()
    one = Result(c, 0.15, State.WITHIN, "", None, 0.2)
    text = TagText("3  holes with a long name that goes on", "0.150", "of 0.200", ("a line",), gauge=True, framed=True)
    colors = TagColors("#000000", "#FFFFFF", "#000000", "#555555", "#A87B24", COLORS)
    svg = SvgSurface(600, 200)
    width, height = tag_size(svg, one, text, numbers)
    width = 140.0 if narrow else width
    draw_tag(svg, (0, 0, width, height), one, text, numbers, colors, chosen=True, pinned=True)
    root = ElementTree.fromstring(svg.picture())
    said = [e.text for e in root.findall("text")]
    assert ("3  holes with a long name that goes on" in said) == (not narrow)
    assert {"0.150", "A", "B", "M"} <= set(said)
    for e in root.findall("text"):
        assert 0 <= float(e.get("y")) <= height
        if e.get("text-anchor") is None and not narrow:
            assert float(e.get("x")) + svg.advance(e.text, float(e.get("font-size"))) <= width + 1


def test_every_kind_has_a_glyph_that_can_be_drawn_and_foreign_signs_are_told(qapp):
    for kind in KINDS.values():
        draw_glyph(SvgSurface(24, 24), kind.symbol, 0, 0, 24, "#000000")
    assert drawable("ø 5 \U0001f600") == "ø 5 ?"
    svg = SvgSurface(10, 10)
    svg.text(0, 0, "a < b & c", 10, "#000000")
    assert ElementTree.fromstring(svg.picture())[0].text == "a < b & c"
