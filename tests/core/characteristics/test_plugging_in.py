"""A family that is registered from outside is complete: proposals, results, tags, frames, why, files, report."""

import io
import json

import numpy as np
import pypdfium2
import pytest
from tests.core.characteristics.made_up import along, reach  # noqa: F401

from truegauge import demo
from truegauge.core.authoring.frame_text import frame_problems
from truegauge.core.authoring.proposals import accept, proposals
from truegauge.core.characteristics.registry import KINDS, kind_named, register
from truegauge.core.tolerancing.general import GeneralTolerances
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.tag_text import tag_text
from truegauge.drawing.units import NumberFormat
from truegauge.formats.plan_file import read_plan, write_plan
from truegauge.formats.results import results_json
from truegauge.rendering.camera import standard_camera
from truegauge.rendering.tag_anchors import tag_anchor
from truegauge.reporting.html import write_html
from truegauge.reporting.pdf import write_pdf
from truegauge.reporting.report import make_report
from truegauge.reporting.why import why


@pytest.fixture
def taken(evaluator, plan, sample, reach):  # noqa: F811
    """The plan with a characteristic of the family, taken from the proposals for the main bore."""
    group = plan.feature("main-bore").group
    offered = next(p for p in proposals(evaluator.context(plan, sample), (group,)) if p.kind is reach)
    nominal = evaluator.nominal(group)
    assert offered.nominal == nominal.length
    command = accept(plan, offered, (nominal,))
    return command.apply(plan), command.characteristic, offered.value


def test_its_value_its_limits_and_its_uncertainty(evaluator, sample, taken):
    plan, c, offered = taken
    result = evaluator.evaluate(plan, sample).result(c.id)
    bore = evaluator.measured(plan, sample, plan.feature("main-bore").group)
    assert result.measured == offered == along(bore.feature, bore.points)
    assert result.notes == ("between the outermost points",)
    assert result.state in (State.WITHIN, State.OUTSIDE, State.NEAR)
    assert 0 < evaluator.uncertainty(plan, sample, c) < 5
    general = plan.replace(general=GeneralTolerances(linear="m"), characteristics=(c.replace(lower=None, upper=None),))
    assert evaluator.evaluate(general, sample).results[0].upper > 0


def test_what_is_shown_and_written_of_it(evaluator, sample, taken, tmp_path):
    plan, c, value = taken
    evaluation = evaluator.evaluate(plan, sample)
    result, numbers = evaluation.result(c.id), NumberFormat(plan.unit, plan.decimals)
    camera = standard_camera("corner", evaluator.model.box, 1.6)
    assert np.array_equal(tag_anchor(evaluator, plan, sample, result, camera).place, [1.0, 2.0, 3.0])
    assert numbers.value(value) in tag_text(result, plan.tags, numbers, None).value
    said = {s.title: s.rows for s in why(evaluator.context(plan, sample), result, numbers)}
    assert said["Features and points"] == (("reach", numbers.value(value)),)
    assert ("note", "between the outermost points") in said["Limits"]
    assert frame_problems(plan, c, ()) == []
    assert frame_problems(plan, c.replace(nominal=-1.0), ()) == ["a reach has no negative nominal."]
    written = {row["name"]: row for row in json.loads(results_json(evaluation, sample))["characteristics"]}
    assert written[c.name]["measured"] == value
    report = make_report(evaluation, sample, (), "2026-01-02 03:04")
    assert c.name in write_html(report).decode()
    document = pypdfium2.PdfDocument(io.BytesIO(write_pdf(report)))
    pages = "".join(page.get_textpage().get_text_bounded() for page in document)
    document.close()
    assert c.name in pages
    assert numbers.value(value) in pages


def test_where_the_family_is_not_known_the_plan_keeps_it_and_says_so(evaluator, sample, taken, tmp_path):
    plan, c, _ = taken
    write_plan(tmp_path / "a.tgplan", plan, demo.PART.read_bytes())
    family = KINDS.pop(c.kind)
    try:
        again = read_plan(tmp_path / "a.tgplan").plan
        assert again == plan
        evaluation = evaluator.evaluate(again, sample)
        assert evaluation.result(c.id).reason == "this version cannot evaluate 'reach'"
        assert kind_named(c.kind).label == "reach"
        make_report(evaluation, sample, (), "")
        assert sum(r.measured is not None for r in evaluation.results) == len(plan.characteristics) - 1
    finally:
        KINDS[c.kind] = family


def test_a_name_is_taken_once(reach):  # noqa: F811
    with pytest.raises(ValueError, match="there is a kind 'reach' already"):
        register(reach)
