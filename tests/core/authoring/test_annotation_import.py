"""The drawing in the part's file becomes datums and characteristics; what is not understood is listed."""

import pytest

from truegauge.core.authoring.annotations import import_annotations
from truegauge.core.cad.annotations import (
    AnnotatedDatum,
    AnnotatedDimension,
    AnnotatedTolerance,
    Annotations,
    FrameDatum,
)
from truegauge.core.commands.history import History
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.plan.document import Plan
from truegauge.core.plan.part import PartReference
from truegauge.demo.faces import housing_faces
from truegauge.demo.housing_pmi import DIMENSIONS, TOLERANCES

EMPTY = Plan(part=PartReference(file_name="LW-1140.step", sha256="0"))


def with_annotations(model, **parts):
    import dataclasses

    return dataclasses.replace(model, annotations=Annotations(**parts))


def test_the_whole_drawing_is_one_step_of_undo(model):
    history = History(EMPTY)
    found = import_annotations(model, EMPTY)
    history.run(found.command)
    plan = history.plan
    assert [d.letter for d in plan.datums] == ["A", "B", "C"]
    assert len(plan.characteristics) == found.characteristics == len(DIMENSIONS) + len(TOLERANCES)
    position = [c for c in plan.characteristics if c.kind == "position"]
    assert len(position) == 1
    assert len(position[0].features) == 6
    assert [d.letter for d in position[0].datums] == ["A", "B", "C"]
    assert position[0].modifiers == ("M",)
    assert position[0].zone.shape == "cylinder"
    history.undo()
    assert history.plan == EMPTY


def test_taking_the_drawing_over_twice_adds_nothing(model):
    once = import_annotations(model, EMPTY).command.apply(EMPTY)
    again = import_annotations(model, once)
    assert (again.datums, again.characteristics, again.command.commands) == (0, 0, ())


def test_what_is_taken_over_is_evaluated_or_says_why_not(model, projector, sample):
    plan = import_annotations(model, EMPTY).command.apply(EMPTY)
    results = Evaluator(model, projector).evaluate(plan, sample).results
    by_kind = {r.characteristic.kind: r for r in results}
    assert by_kind["diameter"].measured is not None
    assert by_kind["perpendicularity"].measured is not None
    assert "bolt hole 1" in by_kind["position"].reason or "has no size tolerance" in by_kind["position"].reason
    assert by_kind["profile_surface"].measured == pytest.approx(0.31, abs=0.02)


def test_a_radius_is_taken_over_as_a_diameter_and_said(model):
    bore = housing_faces(model)["main-bore"]
    part = with_annotations(
        model,
        dimensions=(AnnotatedDimension(kind="radius", name="", faces=(bore,), value=21.0, lower=-0.1, upper=0.1),),
    )
    found = import_annotations(part, EMPTY)
    (c,) = found.command.apply(EMPTY).characteristics
    assert (c.kind, c.nominal, c.lower, c.upper) == ("diameter", 42.0, -0.2, 0.2)
    assert "radius" in found.left_out[0]


@pytest.mark.parametrize(
    ("parts", "said"),
    [
        ({"not_understood": ("dimension 3: the kind 'thread' is not known",)}, "thread"),
        ({"tolerances": (AnnotatedTolerance(kind="flatness", name="", faces=(0,), value=0.1,
                                            datums=(FrameDatum(letter="Q"),)),)}, "datum Q is not in the file"),
        ({"tolerances": (AnnotatedTolerance(kind="parallelism", name="lid", faces=(9,), value=0.1),)},
         "lid: it needs a datum"),
        ({"dimensions": (AnnotatedDimension(kind="distance", name="", faces=(9,), value=5.0),)}, "needs two features"),
        ({"datums": (AnnotatedDatum(letter="A", faces=(9, 59)),)}, "datum A: it stands on 2 separate faces"),
    ],
)  # fmt: skip
def test_what_is_not_understood_is_listed(model, parts, said):
    found = import_annotations(with_annotations(model, **parts), EMPTY)
    assert any(said in line for line in found.left_out)
