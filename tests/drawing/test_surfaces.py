"""What is drawn once is the same on the painter, in a PDF and in an SVG."""

import base64
import io
import re
from xml.etree import ElementTree

import numpy as np
import pypdfium2
import pytest
from PIL import Image
from PySide6.QtGui import QColor, QImage, QPainter
from reportlab.pdfgen.canvas import Canvas

from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_cells
from truegauge.drawing.frames import draw_frame, frame_width
from truegauge.drawing.gauge_bar import BAND_END, BAND_START, TICKS, BarColors, bar_of, draw_gauge_bar
from truegauge.drawing.glyphs import GLYPHS, draw_glyph
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.section_drawing import SectionDrawing, Stroke, Words
from truegauge.drawing.section_figure import SectionColors, SheetPlace, draw_curves, draw_values, fitted
from truegauge.drawing.svg_surface import SvgSurface
from truegauge.drawing.tag_text import SmallText, TagText, small_text
from truegauge.drawing.tags import TagColors, draw_small_tag, draw_tag, small_size, tag_size
from truegauge.drawing.units import NumberFormat
from truegauge.palette import hexadecimal, scale_bands
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


def ring():
    """A section: a circle of 20 about (100, 50), as designed and as measured, with a needle and a value."""
    angle = np.linspace(0, 2 * np.pi, 90)
    circle = np.column_stack([100 + 20 * np.cos(angle), 50 + 20 * np.sin(angle)])
    needles = np.array([[[120.0, 50.0], [128.0, 50.0]]])
    strokes = [Stroke(circle, "nominal"), Stroke(circle[:45], "measured")]
    return SectionDrawing("s", (80.0, 30.0, 128.0, 70.0), strokes, [Words("40.1", (100.0, 50.0), "dimension")], needles,
                          np.array([[200, 30, 30]], dtype=np.uint8), 50.0)  # fmt: skip


LOOK = SectionColors(("#000000", 4.0), ("#000000", 4.0), ("#000000", 2.0), ("#000000", 2.0), 3.0, "#000000", "#FFFFFF")


def test_a_section_looks_alike_on_paper_and_in_the_window(qapp):
    place = fitted(ring(), (20.0, 20.0, 200.0, 200.0))

    def draw(surface):
        draw_curves(surface, ring(), place, LOOK)
        draw_values(surface, ring(), place, LOOK, 14.0)

    painter, pdf = (drawn(s, draw) for s in ("painter", "pdf"))
    assert np.abs(blurred(painter) - blurred(pdf)).max() < 0.15
    for shares in (painter, pdf):
        for x, y in ((80.0, 50.0), (100.0, 70.0), (100.0, 30.0), (126.0, 50.0)):  # on the circle, on the needle
            column, row = place.on(np.array([[x, y]]))[0]
            assert shares[round(row) - 3 : round(row) + 4, round(column) - 3 : round(column) + 4].max() > 0.5
        column, row = place.on(np.array([[85.0, 68.0]]))[0]  # beside it
        assert shares[round(row) - 3 : round(row) + 4, round(column) - 3 : round(column) + 4].max() < 0.1


def test_a_place_of_the_sheet_and_of_the_section_are_each_others_inverse(rng):
    for _ in range(50):
        place = SheetPlace(*rng.uniform(-500, 500, 2), rng.uniform(0.01, 50))
        at = rng.uniform(-100, 100, 2)
        assert np.allclose(place.back(*place.on(at[None])[0]), at, atol=1e-9)
        higher = place.on((at + np.array([0.0, 1.0]))[None])[0]
        assert higher[1] < place.on(at[None])[0][1]  # y of the section goes upwards
    inside = fitted(ring(), (10.0, 20.0, 300.0, 90.0)).on(np.array([[80.0, 30], [128.0, 70]]))
    assert inside.min(axis=0) == pytest.approx([10 + (300 - 108) / 2, 20])
    assert inside.max(axis=0) == pytest.approx([10 + (300 + 108) / 2, 110])


def test_a_value_of_the_scale_stands_at_its_band(qapp):
    scale = DeviationScale(limit=0.1, tolerance=0.05)
    svg = SvgSurface(300, 300)
    draw_scale(svg, scale, (10.0, 40.0, 200.0), NumberFormat("mm", 3), ScaleLook(20.0, 10.0, "#000000", "#555555"))
    root = ElementTree.fromstring(svg.picture())
    said = {e.text: float(e.get("y")) for e in root.findall("text")}
    for text, value in (("+0.100", 0.1), ("+0.050", 0.05), ("0", 0.0), ("-0.050", -0.05), ("-0.100", -0.1)):
        assert said[text] == pytest.approx(40 + 200 * (0.1 - value) / 0.2 + 3.6, abs=0.01)
    bands = scale_bands(scale)
    boxes = [e for e in root.findall("rect") if e.get("fill") != "none"]
    assert [e.get("fill") for e in boxes] == [hexadecimal(c) for c in bands.colors]
    assert float(boxes[-1].get("y")) == pytest.approx(40.0)


def test_a_picture_stands_in_its_box_with_its_colours(qapp):
    pixels = np.full((40, 60, 3), 255, dtype=np.uint8)
    pixels[:20, :30] = 0  # the upper left quarter is black

    def draw(surface):
        surface.image((30.0, 60.0, 180.0, 120.0), pixels)

    for surface in ("painter", "pdf"):
        shares = drawn(surface, draw)
        assert shares[70:110, 40:110].min() > 0.85
        assert shares[130:170, 40:200].max() < 0.1
        assert shares[:55].max() < 0.1
    svg = SvgSurface(240, 240)
    draw(svg)
    (element,) = ElementTree.fromstring(svg.picture("figure"))
    stored = base64.b64decode(element.get("href").partition(",")[2])
    assert np.array(Image.open(io.BytesIO(stored))).shape == (40, 60, 3)


@pytest.mark.parametrize("numbers", [NumberFormat("mm", 3), NumberFormat("inch", 3)])
def test_a_small_tag_says_number_and_value(numbers):
    one = result(10.02, State.WITHIN)
    assert small_text(one, numbers) == SmallText("7", numbers.value(10.02))
    assert small_text(result(None, State.NOT_MEASURED), numbers).value == "–"
    svg = SvgSurface(200, 40)
    width, height = small_size(svg, small_text(one, numbers))
    colors = TagColors("#000000", "#FFFFFF", "#000000", "#555555", "#A87B24", COLORS)
    draw_small_tag(svg, (0, 0, width, height), one, small_text(one, numbers), colors)
    texts = ElementTree.fromstring(svg.picture()).findall("text")
    assert [e.text for e in texts] == ["7", numbers.value(10.02)]
    for e in texts:
        assert float(e.get("x")) + svg.advance(e.text, float(e.get("font-size"))) < width
