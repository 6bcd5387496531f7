import csv
import io
import re
from dataclasses import replace

import numpy as np
import pypdfium2
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from openpyxl import load_workbook

from truegauge.core.evaluation.results import Evaluation, Result
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.judgement import State, decide
from truegauge.drawing.gauge_bar import BAND_END, BAND_START, DIAMOND, RING, TRIANGLE_LEFT, TRIANGLE_RIGHT, gauge_bar
from truegauge.drawing.units import NumberFormat, limits_text
from truegauge.formats.results import results_csv
from truegauge.formats.results_xlsx import results_xlsx
from truegauge.palette import MINUS, PLUS, bands, rgb
from truegauge.reporting.html import write_html
from truegauge.reporting.pdf import write_pdf
from truegauge.reporting.report import ReportView, make_report


def text_of(data):
    document = pypdfium2.PdfDocument(io.BytesIO(data))
    pages = [document[i].get_textpage().get_text_bounded() for i in range(len(document))]
    document.close()
    return pages


def test_the_pdf_says_every_characteristic_with_value_and_counts(evaluation, sample):
    picture = np.full((90, 160, 3), 200, dtype=np.uint8)
    pages = text_of(
        write_pdf(
            make_report(evaluation, sample, (ReportView("map", picture, evaluation.plan.scale),), "2026-01-02 03:04")
        )
    )
    everything = "\n".join(pages)
    for r in evaluation.results:
        assert r.characteristic.name in everything
        assert f"{r.measured:.3f}" in everything
    assert "Larkspur Instrument Works" in everything
    assert "LW-1140-0027" in everything
    assert "2026-01-02 03:04" in everything
    assert f"page 1 of {len(pages)}" in pages[0]
    assert f"page {len(pages)} of {len(pages)}" in pages[-1]
    assert f"{evaluation.counts()[State.WITHIN]}" in pages[0]
    assert "position | Ø0.200(M) | A | B | C" in everything
    assert "with bonus" in everything


def test_a_long_report_counts_its_pages_right(evaluation, sample):
    many = Evaluation(
        evaluation.plan, evaluation.alignment, evaluation.cloud, evaluation.features, evaluation.results * 9
    )
    pages = text_of(write_pdf(make_report(many, sample, (), "")))
    assert len(pages) > 4
    assert f"page {len(pages)} of {len(pages)}" in pages[-1]


def test_a_partial_run_is_told_first_in_every_output(evaluator, plan, sample):
    chosen = tuple(c.id for c in plan.characteristics[:3])
    part = sample.saying(chosen=chosen, subset="three")
    found = evaluator.evaluate(plan, part)
    words = f"artial run (three): 3 of {len(plan.characteristics)} characteristics"
    assert [r.characteristic.id for r in found.results] == list(chosen)
    report = make_report(found, part, (), "")
    assert report.alignment[0] == "P" + words
    page = text_of(write_pdf(report))[0]
    assert page.index("P" + words) < page.index("Aligned by")
    assert "P" + words in write_html(report).decode()
    rows = list(csv.DictReader(results_csv(found, part).decode("utf-8-sig").splitlines()))
    assert [r["partial"] for r in rows] == ["p" + words] * 3
    sheet = load_workbook(io.BytesIO(results_xlsx(found, part)))["results"]
    assert "p" + words in [row[1] for row in sheet.iter_rows(max_row=6, values_only=True)]
    whole = evaluator.evaluate(plan, sample)
    assert "artial run" not in "".join(make_report(whole, sample, (), "").alignment)


def test_what_was_not_measured_says_why(evaluator, plan):
    pages = text_of(write_pdf(make_report(evaluator.evaluate(plan, None), None, (), "")))
    assert "not measured: no sample yet" in pages[0]


def test_nothing_that_is_said_is_cut(evaluation, sample):
    """Long lines of the alignment and beside a value take more lines; every word is on the pages, once."""
    words = [f"word{k}" for k in range(90)]
    first = evaluation.results[0]
    long = replace(first, warning=" ".join(words[:60]))
    report = make_report(evaluation, sample, (), "")
    report = replace(report, alignment=(" ".join(words[60:]), *report.alignment), results=(long,) * 40)
    pages = text_of(write_pdf(report))
    everything = " ".join(" ".join(pages).split())
    for word in words[60:]:
        assert everything.count(f"{word} ") + everything.endswith(word) == 1, word
    for word in words[:60]:
        assert len(re.findall(rf"\b{word}\b", everything)) == 40, word
    assert len(pages) > 3
    assert all("Characteristic (mm)" in page for page in pages)  # the heading stands on each page


def test_signs_that_the_font_lacks_are_not_lost_silently(evaluation, sample):
    odd = evaluation.plan.characteristics[0].replace(name="flatness 平")
    results = (Result(odd, 0.01, State.WITHIN, ""),)
    one = Evaluation(evaluation.plan, evaluation.alignment, evaluation.cloud, {}, results)
    assert "flatness ?" in text_of(write_pdf(make_report(one, sample, (), "")))[0]


@given(st.floats(-5, 5), st.floats(0.01, 1), st.floats(0.01, 1))
def test_the_marker_is_on_the_band_exactly_when_within(measured, below, above):
    assume(min(abs(measured + below), abs(measured - above)) > 1e-6)
    state = decide(measured, -below, above).state
    bar = gauge_bar(measured, 0.0, -below, above, state)
    on_band = BAND_START - 1e-9 <= bar.position <= BAND_END + 1e-9
    assert on_band == (state != State.OUTSIDE)
    assert bar.marker not in (TRIANGLE_LEFT, TRIANGLE_RIGHT) or state == State.OUTSIDE


def test_markers_by_state():
    assert gauge_bar(0.06, 0, None, 0.05, State.OUTSIDE).marker == TRIANGLE_RIGHT
    assert gauge_bar(-2, 0, -1, 1, State.OUTSIDE).marker == TRIANGLE_LEFT
    assert gauge_bar(0.95, 0, -1, 1, State.NEAR).marker == DIAMOND
    assert gauge_bar(None, 0, -1, 1, State.NOT_MEASURED).marker == RING
    assert gauge_bar(0.0, 0, None, 0.05, State.WITHIN).position == BAND_START


def test_numbers_in_mm_and_inch():
    mm, inch = NumberFormat("mm", 3), NumberFormat("inch", 3)
    assert mm.value(-0.0001) == "0.000"
    assert mm.signed(0.0121) == "+0.012"
    assert inch.value(25.4) == "1.0000"
    assert inch.parse("0.5") == pytest.approx(12.7)
    assert mm.parse(" -0,05 mm") == -0.05
    with pytest.raises(ValueError, match="not a number"):
        mm.parse("wide")


def test_limits_as_a_drawing_writes_them():
    n = NumberFormat()
    assert limits_text(n, 10, -0.1, 0.1) == "±0.100"
    assert limits_text(n, 10, 0.0, 0.025) == "+0.025 / 0.000"
    assert limits_text(n, 0, None, 0.05) == "≤ 0.050"
    assert limits_text(n, 10, None, None) == "no limits"


def test_the_scale_has_band_edges_at_the_tolerance_and_its_own_end_colours():
    b = bands(0.1, 0.05)
    assert 0.05 in b.edges
    assert -0.05 in b.edges
    assert (b.edges[0], b.edges[-1]) == (-0.1, 0.1)
    assert np.abs(np.subtract(b.colors[0], rgb(MINUS))).max() <= 1
    assert np.abs(np.subtract(b.colors[-1], rgb(PLUS))).max() <= 1
    lightness = [sum(c) for c in b.colors]
    assert (
        lightness == sorted(lightness[: len(lightness) // 2 + 1]) + sorted(lightness[len(lightness) // 2 + 1 :])[::-1]
    )


def test_a_characteristic_without_a_known_kind_is_still_printed(evaluation, sample):
    strange = Characteristic(id="x", number=9, name="weight", kind="weight", features=("base",), nominal=1.0)
    one = Evaluation(evaluation.plan, evaluation.alignment, evaluation.cloud, {},
                     (Result(strange, None, State.NOT_MEASURED, "this version cannot evaluate 'weight'"),))  # fmt: skip
    assert "cannot evaluate" in text_of(write_pdf(make_report(one, sample, (), "")))[0]
