"""The public interface: every example of its page runs; what it refuses; the command that makes plans."""

import re
import shutil
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

import truegauge as tg
from truegauge import demo
from truegauge.cli import app
from truegauge.core.errors import TrueGaugeError
from truegauge.core.silhouette.looking import Place
from truegauge.demo.shadow_plans import SHAFT, plate_picture
from truegauge.formats.pictures import png_of

PAGE = Path(__file__).parents[1] / "docs" / "api.md"


def examples():
    return re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("api")
    shutil.copy(demo.PART, made / "housing.step")
    shutil.copy(demo.SCAN, made / "s17.ply")
    shutil.copy(demo.CMM_PLAN, made / "machine.tgplan")
    turned = Place(np.array([15.0, 3.0]), 3.3)
    pictures = {"plate": plate_picture(), "taught": SHAFT.picture(SHAFT.nominal, SHAFT.taught),
                "part": SHAFT.picture(SHAFT.made(4), turned)}  # fmt: skip
    for name, picture in pictures.items():
        (made / f"{name}.png").write_bytes(png_of(picture))
    return made


def test_every_example_of_the_page_runs_in_its_order(folder, monkeypatch, capsys):
    monkeypatch.chdir(folder)
    names = {}
    assert len(examples()) == 7
    for code in examples():
        exec(code, names)
    said = capsys.readouterr().out
    assert "Datum system\n  A: base" in said
    assert (folder / "s17.pdf").read_bytes().startswith(b"%PDF")
    assert {p.name for p in (folder / "results").iterdir()} == {"results.csv", "results.json"}
    assert (folder / "batch" / "summary.xlsx").exists()


def test_the_page_names_every_kind():
    text, named = PAGE.read_text(), set()
    for stem, more in re.findall(r"`([a-z_]+)`(?: \(([^)]*)\))?", text):
        ends = re.findall(r"`(_[a-z_]+)`", more)
        named |= {stem} | {re.sub(r"_[a-z]+$", "", stem) + end for end in ends}
    named |= {n.replace("diameter_", "width_") for n in named}
    assert set(tg.kinds()) <= named


def test_what_it_makes_is_what_the_window_makes(evaluator, plan, sample):
    """The demo plan's own requirements, made anew by names: the same values to the last digit."""
    own = tg.Plan(plan.replace(characteristics=()), evaluator.model, evaluator=evaluator)
    c20, c4, c10, c19 = (plan.characteristic(i) for i in ("c20", "c4", "c10", "c19"))
    own.tolerance("position", c20.features, c20.upper, modifiers="M", datums="A|B|C")
    own.dimension("diameter", *c4.features, lower=c4.lower, upper=c4.upper)
    own.dimension(c10.kind, *c10.features, plus_minus=0.1)
    own.dimension("diameter", *c19.features, nominal=c19.nominal, lower=c19.lower, upper=c19.upper)
    found = tg.inspect(own, sample=sample, uncertainty=False)
    before = evaluator.evaluate(plan, sample)
    assert [r.value for r in found] == [before.result(c.id).measured for c in (c20, c4, c10, c19)]
    assert found["1"].limits == (None, before.result("c20").upper_limit)  # with the bonus of the holes' size
    assert found["2"].limits == pytest.approx((42.0, 42.025))


@pytest.fixture(scope="module")
def empty():
    return tg.new_plan(demo.PART).document


@pytest.fixture
def fresh(model, evaluator, empty):
    plan = tg.Plan(empty, model, evaluator=evaluator)
    plan.datum("A", plan.feature("base", near=(25, 8, 0)))
    return plan


@pytest.mark.parametrize(
    ("do", "words"),
    [
        (lambda p: p.feature("lid"), "the plan has no feature 'lid': it has base"),
        (lambda p: p.feature(near=(1e4, 0, 0)), "lies far off the part"),
        (lambda p: p.feature(near=(1, 2)), "a place is three numbers"),
        (lambda p: p.feature(near=(1, 2, float("nan"))), "a place is three numbers"),
        (lambda p: p.feature(faces=(10_000,)), "the part has the faces 0 to"),
        (lambda p: p.element("hole 99"), "the part has no 'hole 99': it has slot 12 x 30, countersink 5, hole 5.5"),
        (lambda p: p.element("hole 5.5", 6), "6 x 'hole 5.5', counted from 0; there is no number 6"),
        (lambda p: p.tolerance("flatness", p.element("hole 42"), 0.1), "flatness does not suit"),
        (lambda p: p.tolerance("diameter", "base", 0.1), "'diameter' is no tolerance"),
        (lambda p: p.tolerance("roundish", "base", 0.1), "'roundish' is no tolerance"),
        (lambda p: p.tolerance("position", p.element("hole 42"), 0.1, datums="A|Q"), "datum Q is on no feature"),
        (lambda p: p.tolerance("position", p.element("hole 42"), 0.1, modifiers="Y"), "'Y' is no modifier"),
        (lambda p: p.tolerance("perpendicularity", p.element("hole 42"), 0.1), "needs a datum"),
        (lambda p: p.tolerance("flatness", "base", 0.1, modifiers="M"), "cannot be at maximum material"),
        (lambda p: p.tolerance("position", (), 0.1), "a tolerance needs a feature"),
        (lambda p: p.dimension("diameter", "base"), "diameter does not suit base"),
        (lambda p: p.dimension("flatness", "base"), "'flatness' is no dimension"),
        (lambda p: p.dimension("diameter", p.element("hole 42"), fit="Z9"), "no fit class known here"),
        (lambda p: p.construct("plane_plane", "base"), "edge where the planes meet: other features are needed"),
        (lambda p: p.align_by_datums("A", "B"), "datum B is on no feature"),
        (lambda p: p.put_in_force("elsewhere"), "has no alignment 'elsewhere'"),
        (lambda p: p.characteristic("7"), "has no characteristic '7'"),
        (lambda p: p.save(), "never saved"),
        (lambda p: tg.inspect(p), "either a scan or a sample"),
    ],
)
def test_what_makes_no_sense_is_refused_in_words_and_changes_no_requirement(fresh, do, words):
    before = fresh.document
    with pytest.raises((TrueGaugeError, ValueError), match=words):
        do(fresh)
    now = fresh.document
    assert (now.characteristics, now.datums, now.alignments, now.constructed) == (
        before.characteristics, before.datums, before.alignments, before.constructed,
    )  # fmt: skip


def test_changes_are_undone_one_by_one(fresh):
    empty = fresh.document
    made = fresh.tolerance("flatness", "base", 0.05)
    changed = fresh.edit(made.number, upper=0.02)
    assert (changed.upper, fresh.characteristic("base flatness").upper) == (0.02, 0.02)
    assert fresh.undo()
    assert fresh.characteristic(1).upper == 0.05
    assert fresh.redo()
    fresh.remove(1)
    assert fresh.characteristics == ()
    while fresh.document is not empty:
        assert fresh.undo()


def test_a_slot_and_a_built_axis_are_features_like_any_other(fresh):
    slot = fresh.element("slot 12 x 30")
    assert slot.shape == "slot"
    assert fresh.element("slot") == slot  # once in the plan it is the same
    assert len(fresh.dimension("width", slot, fit="H9").features) == 1
    line = fresh.construct("plane_plane", "base", fresh.feature(near=(40, 0, 7)), name="front edge")
    assert np.abs(fresh.nominal_of(line).feature.direction) == pytest.approx([1, 0, 0])


def test_what_was_not_measured_says_why(fresh, sample):
    fresh.tolerance("flatness", "base", 0.05)
    fresh.align_by_datums("A")
    result = tg.inspect(fresh.path or fresh, sample=sample, uncertainty=False)
    assert result["1"].value is not None
    with pytest.raises(KeyError, match="no characteristic '9'"):
        result["9"]
    with pytest.raises(TrueGaugeError, match="what is written ends with"):
        result.report("a.docx")


@pytest.mark.parametrize(
    ("options", "count", "general"),
    [((), 0, ""), (("--take-drawing",), 16, ""), (("--general", "f-H"), 0, "ISO 2768-fH")],
)
def test_the_command_makes_a_plan_that_can_be_inspected_by(tmp_path, options, count, general):
    out = tmp_path / "made.tgplan"
    done = CliRunner().invoke(app, ["new-plan", str(demo.PART), "--out", str(out), *options])
    assert done.exit_code == 0, done.output
    made = tg.open_plan(out).document
    assert len(made.characteristics) == count
    assert made.general.say() == general
    assert made.part.file_name == demo.PART.name
    again = CliRunner().invoke(app, ["new-plan", str(demo.PART), "--out", str(out)])
    assert "there is a plan already" in str(again.exception)


@pytest.mark.parametrize(
    ("part", "words"), [(".", "folder"), ("nothing.step", "no such file"), (str(demo.SCAN), "LW-1140-0027.ply")]
)
def test_what_is_no_part_is_refused_and_no_plan_is_left(tmp_path, monkeypatch, part, words):
    monkeypatch.chdir(tmp_path)
    done = CliRunner().invoke(app, ["new-plan", part])
    assert isinstance(done.exception, TrueGaugeError)
    assert words in str(done.exception)
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("classes", ["q", "f-Z", "H-f", "fHK", "0.1", "-"])
def test_general_tolerances_that_are_none_are_refused(tmp_path, classes):
    done = CliRunner().invoke(
        app, ["new-plan", str(demo.PART), "--out", str(tmp_path / "x.tgplan"), "--general", classes]
    )
    assert done.exit_code == 2
    assert "is no class of ISO 2768" in " ".join(done.output.replace("│", " ").split())
    assert not (tmp_path / "x.tgplan").exists()


def test_importing_it_loads_no_kernels_before_they_are_asked_for():
    import subprocess
    import sys

    code = "import truegauge, sys; assert 'numba' not in sys.modules and 'new_plan' in dir(truegauge)"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0
    with pytest.raises(AttributeError):
        tg.no_such_name  # noqa: B018
