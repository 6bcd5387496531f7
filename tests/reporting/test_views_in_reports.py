"""Saved views and sections in reports: drawn for the sample at hand, with the tags that were chosen."""

import io

import numpy as np
import pypdfium2
import pytest
from openpyxl import load_workbook

from truegauge.core.plan.views import PinnedTag, TagSettings
from truegauge.drawing.tag_text import tag_text, tagged_results
from truegauge.drawing.units import NumberFormat
from truegauge.formats.results_xlsx import results_xlsx
from truegauge.rendering.camera import standard_camera
from truegauge.rendering.report_views import HEIGHT, WIDTH, ViewRenderer, camera_of, eye_of, report_with_views
from truegauge.reporting.html import write_html
from truegauge.reporting.pdf import write_pdf


@pytest.fixture(scope="module")
def report(evaluator, evaluation, sample):
    return report_with_views(evaluator, evaluation, sample, "now")


def test_the_eye_of_a_view_is_kept_exactly(model):
    camera = standard_camera("corner", model.box, 1.7)
    again = camera_of(eye_of(camera))
    assert np.array_equal(again.target, camera.target)
    assert np.array_equal(again.up, camera.up)
    assert again.height == camera.height


def test_views_and_sections_of_the_plan_are_in_the_pdf_with_their_tags(report, plan):
    assert [v.name for v in report.views] == ["What is outside", "Shroud"]
    assert {t.result.characteristic.number for t in report.views[0].tags} == {13, 14, 20}
    assert {t.result.characteristic.number for t in report.views[1].tags} == {26, 29}
    document = pypdfium2.PdfDocument(io.BytesIO(write_pdf(report)))
    text = "\n".join(document[i].get_textpage().get_text_bounded() for i in range(len(document)))
    document.close()
    for words in ("What is outside", "Shroud", "section at 30", "42.012", "bolt hole 4 to main bore"):
        assert words in text


def test_the_picture_of_a_view_is_drawn_for_the_sample_at_hand(report, evaluator, plan, evaluation, sample):
    bump = next(t for t in report.views[1].tags if t.result.characteristic.number == 29)
    x, y = round(bump.anchor[0] * WIDTH), round(bump.anchor[1] * HEIGHT)
    hot = report.views[1].picture[y, x].astype(int)
    assert hot[0] > hot[2] + 60  # vermilion: too much
    renderer = ViewRenderer(evaluator)
    try:
        bare = renderer.view(evaluator.evaluate(plan, None), None, plan.views[1])
    finally:
        renderer.close()
    cold = bare.picture[y, x].astype(int)
    assert np.ptp(cold) < 30
    assert bare.scale is None


def test_the_html_report_stands_alone_and_says_the_same(report, evaluation):
    page = write_html(report).decode()
    assert page.count("data:image/jpeg;base64,") == 2
    assert "<script" not in page
    assert "http" not in page.replace("http-equiv", "")
    for r in evaluation.results:
        assert f"{r.measured:.3f}" in page
    assert "section at 30" in page


def test_words_in_the_html_report_are_not_markup(evaluator, evaluation, sample):
    from dataclasses import replace

    block = evaluation.plan.title_block.replace(title="<b>A & B</b>")
    odd = replace(evaluation, plan=evaluation.plan.replace(title_block=block, views=()))
    page = write_html(report_with_views(evaluator, odd, sample, "now")).decode()
    assert "&lt;b&gt;A &amp; B&lt;/b&gt;" in page


def test_the_workbook_holds_numbers(evaluation, sample):
    sheet = load_workbook(io.BytesIO(results_xlsx(evaluation, sample)))["results"]
    rows = list(sheet.iter_rows(min_row=7, values_only=True))
    head = rows[0]
    by_number = {r[0]: dict(zip(head, r, strict=True)) for r in rows[1:]}
    assert len(by_number) == len(evaluation.results)
    assert by_number[4]["measured"] == pytest.approx(42.012, abs=0.001)
    assert by_number[13]["state"] == "outside"


def test_what_tags_say_and_which_are_shown_is_chosen(evaluation):
    numbers = NumberFormat()
    outside = tagged_results(evaluation, TagSettings(shown="outside"))
    assert {r.characteristic.number for r in outside} == {13, 14, 20}
    bolt = next(r for r in outside if r.characteristic.number == 13)
    text = tag_text(bolt, TagSettings(parts=("name", "measured", "limits")), numbers)
    assert (text.title, text.value, text.detail, text.lines) == ("bolt hole 4 to main bore", "30.179", "", ("±0.100",))
    hidden = TagSettings(shown="all", hidden=(bolt.characteristic.id,))
    assert bolt not in tagged_results(evaluation, hidden)
    assert tagged_results(evaluation, hidden, selected=bolt.characteristic.id)[0] is bolt
    assert tagged_results(evaluation, TagSettings(shown="none")) == []
    delta = tag_text(bolt, TagSettings(parts=("dx", "dz", "total")), numbers, (0.1, -0.2, 0.2))
    assert delta.lines == ("dx +0.100  dz +0.200", "distance 0.300")
    assert PinnedTag(characteristic="c", x=0.1, y=0.2).x == 0.1
