import json
import os
import zipfile
from pathlib import Path

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.errors import FormatError
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import random_rigid
from truegauge.core.plan.alignments import (
    AlignmentDatum,
    BestFitAlignment,
    DatumAlignment,
    FaceWeight,
    GivenAlignment,
    GuidedAlignment,
    GuideTarget,
    MatchedPlace,
    MatchedPointAlignment,
)
from truegauge.core.plan.migrations.steps import PRESENT, as_of_now
from truegauge.core.plan.part import PartMaterial
from truegauge.core.probing.probing import Probing
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.core.routes.strategies import Usual
from truegauge.core.samples.document import SampleData, Touch
from truegauge.core.samples.sample import Sample
from truegauge.formats.cad_arrays import model_from_file, model_to_bytes
from truegauge.formats.files import write_whole
from truegauge.formats.plan_file import model_of_plan, read_plan, write_plan
from truegauge.formats.sample_file import open_sample, write_sample

PLANS = Path(__file__).parents[1] / "data" / "plans"


def test_a_plan_comes_back_equal_with_its_part(tmp_path, plan):
    path = tmp_path / "a.tgplan"
    write_plan(path, plan, demo.PART.read_bytes())
    file = read_plan(path)
    assert file.plan == plan
    assert file.part == demo.PART.read_bytes()


def test_saving_twice_gives_the_same_bytes(tmp_path, plan):
    for name in ("a", "b"):
        write_plan(tmp_path / name, plan, demo.PART.read_bytes())
    assert (tmp_path / "a").read_bytes() == (tmp_path / "b").read_bytes()


def test_saved_plan_and_sample_give_the_same_results_to_the_last_digit(tmp_path, plan, sample, evaluation):
    write_plan(tmp_path / "a.tgplan", plan, demo.PART.read_bytes())
    write_sample(tmp_path / "a.tgsample", sample, (demo.SCAN.read_bytes(),))
    file = read_plan(tmp_path / "a.tgplan")
    again, _ = open_sample(tmp_path / "a.tgsample")
    assert np.array_equal(again.points, sample.points)
    results = Evaluator(model_of_plan(tmp_path / "a.tgplan", file)).evaluate(file.plan, again).results
    assert [r.measured for r in results] == [r.measured for r in evaluation.results]


def test_a_sample_remembers_its_unit(tmp_path):
    inch, content = open_sample(demo.SCAN, "inch")
    write_sample(tmp_path / "a.tgsample", inch, content)
    again, _ = open_sample(tmp_path / "a.tgsample")
    assert np.array_equal(again.points, inch.points)
    assert again.unit == "inch"


def test_a_part_in_arrays_comes_back_equal(tmp_path, model):
    path = tmp_path / "part.npz"
    path.write_bytes(model_to_bytes(model))
    again = model_from_file(path)
    assert again.key == model.key
    assert np.array_equal(again.mesh.vertices, model.mesh.vertices)
    assert [f.surface.kind for f in again.faces] == [f.surface.kind for f in model.faces]
    assert len(again.edges) == len(model.edges)
    assert not again.mesh.vertices.flags.writeable


def test_a_failed_write_leaves_the_old_file(tmp_path, monkeypatch):
    path = tmp_path / "plan.tgplan"
    path.write_bytes(b"old")

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(FormatError, match="No space left"):
        write_whole(path, b"new")
    assert path.read_bytes() == b"old"
    assert list(tmp_path.iterdir()) == [path]


def test_the_demo_files_are_what_their_script_makes(model, plan):
    from truegauge.demo.plan import housing_plan

    assert housing_plan(model) == plan
    assert demo.SCAN.stat().st_size < 4_000_000


def test_alignments_of_every_kind_come_back_equal(tmp_path, plan):
    more = (
        BestFitAlignment(id="b", base="a1", faces=(1, 2), weights=(FaceWeight(faces=(3,), weight=0.5),),
                         locked=(True, False, False, False, False, True), criterion="within", candidate=2),
        DatumAlignment(id="d", base="a1", datums=(AlignmentDatum(feature="base", axis="+z"),), offset=(1.5, 0.0, -2.0)),
        MatchedPointAlignment(id="m", points=(MatchedPlace(name="P", place=(1.0, 2.0, 3.0), used=False),)),
        GuidedAlignment(id="g", targets=(GuideTarget(name="T", kind="hole", place=(1.0, 2.0, 3.0),
                                                     direction=(0.0, 0.0, 1.0), diameter=4.0),)),
        GivenAlignment(id="x", base="d", turns=(0.1, 0.2, 0.3)),
    )  # fmt: skip
    every = plan.replace(
        alignments=plan.alignments + more, in_force="x", material=PartMaterial(name="steel", expansion=11.5e-6)
    )
    write_plan(tmp_path / "a.tgplan", every, demo.PART.read_bytes())
    assert read_plan(tmp_path / "a.tgplan").plan == every


def test_a_sample_keeps_touches_temperatures_and_where_its_scans_stand(tmp_path, sample):
    placement = random_rigid(np.random.default_rng(1), 50)
    touches = (Touch(target="T1", place=(1.0, 2.0, 3.0), side="wall"),)
    warm = sample.saying(temperature_c=23.5, scale_temperature_c=21.0, scale_expansion=8e-6)
    joined = warm.with_named(touches).joined(sample.placed(placement, "3 spheres"))
    content = demo.SCAN.read_bytes()
    write_sample(tmp_path / "a.tgsample", joined, (content, content))
    again, _ = open_sample(tmp_path / "a.tgsample")
    assert again.data == joined.data
    assert np.array_equal(again.points, joined.points)
    only = Sample.of(SampleData(name="T", touches=touches))
    write_sample(tmp_path / "b.tgsample", only, ())
    assert open_sample(tmp_path / "b.tgsample")[0].data.touches == touches


def test_a_plan_of_the_first_version_is_read(tmp_path, plan):
    write_plan(tmp_path / "new.tgplan", plan, demo.PART.read_bytes())
    with zipfile.ZipFile(tmp_path / "new.tgplan") as archive:
        document, part = json.loads(archive.read("plan.json")), archive.read("part.step")
    for name in ("recipe", "limits", "datums", "alignments", "in_force", "material"):
        del document[name]
    document["alignment"] = {"kind": "best_fit", "trim": 3.0}
    for characteristic in document["characteristics"]:
        del characteristic["datums"], characteristic["modifiers"], characteristic["alignment"]
    document["schema_version"] = 1
    with zipfile.ZipFile(tmp_path / "old.tgplan", "w") as archive:
        archive.writestr("plan.json", json.dumps(document))
        archive.writestr("part.step", part)
    plain = tuple(c.replace(datums=(), modifiers=()) for c in plan.characteristics)
    expected = plan.replace(datums=(), alignments=plan.alignments[:1], characteristics=plain)
    assert read_plan(tmp_path / "old.tgplan").plan == expected


@pytest.mark.parametrize("file", sorted(PLANS.glob("*.tgplan")), ids=lambda p: p.stem)
def test_plans_of_every_version_are_read_with_all_that_they_say(file):
    """As they were saved at the time: every feature and characteristic is there, under its name and number."""
    with zipfile.ZipFile(file) as archive:
        saved = json.loads(archive.read("plan.json"))
    found = read_plan(file).plan
    assert found.schema_version == PRESENT
    assert file.stem.startswith(f"version-{saved['schema_version']}")
    assert [(f.id, f.name) for f in found.features] == [(f["id"], f["name"]) for f in saved["features"]]
    assert [(c.id, c.number, c.nominal, c.lower, c.upper) for c in found.characteristics] == [
        (c["id"], c["number"], c["nominal"], c["lower"], c["upper"]) for c in saved["characteristics"]
    ]
    assert found.in_force in {a.id for a in found.alignments}
    if saved["schema_version"] < 7:
        assert found.usual_size == "GG"
    # Written and read again it is the same.
    assert as_of_now(json.loads(json.dumps(found.model_dump(mode="json")))) == found.model_dump(mode="json")


def test_each_step_leaves_what_it_was_given_as_it_was():
    for file in PLANS.glob("*.tgplan"):
        with zipfile.ZipFile(file) as archive:
            text = archive.read("plan.json")
        document = json.loads(text)
        as_of_now(document)
        assert document == json.loads(text)


def test_a_plan_of_the_fourth_version_is_read_as_it_was():
    found = read_plan(PLANS / "version-4.tgplan").plan
    assert found.schema_version == PRESENT
    assert [c.number for c in found.characteristics] == list(range(1, 29))
    assert (found.spots, found.sections, found.views) == ((), (), ())
    assert found.extraction.max_angle is None


def test_a_plan_of_the_fifth_version_is_read_as_it_was(plan):
    found = read_plan(PLANS / "version-5.tgplan").plan
    assert found == plan
    assert found.probing == Probing()


def test_a_plan_of_the_third_version_names_its_datums_once(tmp_path, plan):
    """It had the datum of an orientation as a second feature too, and modifiers in words."""
    write_plan(tmp_path / "new.tgplan", plan, demo.PART.read_bytes())
    with zipfile.ZipFile(tmp_path / "new.tgplan") as archive:
        document, part = json.loads(archive.read("plan.json")), archive.read("part.step")
    for c in document["characteristics"]:
        for field in (
            "zone",
            "warn_lower",
            "warn_upper",
            "basic",
            "fit",
            "simultaneous",
            "tier_of",
            "tier",
            "sheet_zone",
        ):
            del c[field]
    side, holes = document["characteristics"][1], document["characteristics"][19]
    side["features"] = ["side-b", "base"]
    holes["modifiers"] = ["cylindrical zone", "maximum material requirement", "projected zone 12"]
    document["schema_version"] = 3
    with zipfile.ZipFile(tmp_path / "old.tgplan", "w") as archive:
        archive.writestr("plan.json", json.dumps(document))
        archive.writestr("part.step", part)
    found = read_plan(tmp_path / "old.tgplan").plan
    assert found.characteristics[1].features == ("side-b",)
    assert found.characteristics[19].modifiers == ("M",)
    assert (found.characteristics[19].zone.shape, found.characteristics[19].zone.projected) == ("cylinder", 12.0)


def test_a_sample_of_the_first_version_is_read(tmp_path, sample):
    with zipfile.ZipFile(tmp_path / "old.tgsample", "w") as archive:
        archive.writestr("sample.json", '{"schema_version": 1, "name": "a", "unit": "inch", "scan_file": "a.ply"}')
        archive.writestr("scan.ply", demo.SCAN.read_bytes())
    old, _ = open_sample(tmp_path / "old.tgsample")
    assert np.array_equal(old.points, sample.points * 25.4)
    assert old.unit == "inch"


def test_a_plan_of_the_sixth_version_keeps_the_sizes_that_it_had(plan):
    """Sizes without modifiers were those of the associated feature: now the plan states it."""
    found = read_plan(PLANS / "version-6.tgplan").plan
    assert found.usual_size == "GG"
    assert found == plan


def test_how_features_were_touched_in_the_seventh_version_are_steps_of_a_route(tmp_path):
    """Touches, rows and styli stood with the probes; the file says them as it did then."""
    plan = read_plan(demo.CMM_PLAN).plan
    use = plan.probing.uses()[1]
    steps = (
        MeasureStep(id="m-base", feature="base", strategy=Usual(touches=12)),
        MeasureStep(id="m-main-bore", feature="main-bore", strategy=Usual(touches=18, rows=3), stylus=use),
        MeasureStep(id="m-boss", feature="boss"),
    )
    write_plan(tmp_path / "new.tgplan", plan, demo.PART.read_bytes())
    with zipfile.ZipFile(tmp_path / "new.tgplan") as archive:
        document, part = json.loads(archive.read("plan.json")), archive.read("part.step")
    del document["route"]
    document["probing"]["features"] = [
        {"feature": "base", "touches": 12, "rows": 0, "stylus": None},
        {"feature": "main-bore", "touches": 18, "rows": 3, "stylus": use.model_dump(mode="json")},
        {"feature": "boss", "touches": 0, "rows": 0, "stylus": None},
    ]
    document["schema_version"] = 7
    with zipfile.ZipFile(tmp_path / "old.tgplan", "w") as archive:
        archive.writestr("plan.json", json.dumps(document))
        archive.writestr("part.step", part)
    assert read_plan(tmp_path / "old.tgplan").plan == plan.replace(route=Route(steps=steps))
