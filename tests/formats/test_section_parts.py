"""A part from a table of the sections of an aerofoil: a smooth solid through them, measured as any other."""

import numpy as np
import pytest
from tests.core.blades.shapes import naca

from truegauge.api.plans import new_plan
from truegauge.core.authoring.blades import new_blade, set_blade, with_heights
from truegauge.core.blades.corresponding import corresponding
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import FormatError, GeometryError
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.plan.document import Plan
from truegauge.demo.vane import designed
from truegauge.formats.nominal_csv import names_features
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import model_of_plan, read_plan, write_plan

HEIGHTS = (10.0, 30.0, 50.0, 70.0, 90.0)


def table(path, sections, axis=2):
    rows = ["section,x,y,z"]
    for k, (flat, height) in enumerate(sections):
        for a, b in flat:
            place = [0.0, 0.0, 0.0]
            place[axis], place[(axis + 1) % 3], place[(axis + 2) % 3] = height, a, b
            rows.append(f"{k}," + ",".join(f"{v:.7f}" for v in place))
    path.write_text("\n".join(rows) + "\n")
    return path


@pytest.fixture(scope="module")
def path(tmp_path_factory):
    folder = tmp_path_factory.mktemp("sections")
    return table(folder / "vane.csv", [(designed(h).around(220, 40), h) for h in HEIGHTS])


def test_the_solid_goes_through_the_sections_and_smoothly_between(path):
    model = read_part(path)
    projector = Projector(model)
    assert model.box[:, 2].tolist() == pytest.approx([10.0, 90.0], abs=1e-6)
    for height, most in ((10.5, 0.002), (30.0, 0.001), (50.0, 0.001), (60.0, 0.01), (70.0, 0.001)):
        places = designed(height).around(300, 60)
        off = projector.deviations(np.column_stack([places, np.full(len(places), height)])).distance
        assert np.abs(off).max() < most, height


def test_its_sections_have_the_values_of_the_table(path):
    evaluator = Evaluator(read_part(path))
    blade = with_heights(new_blade(Plan(), evaluator.model), (30.0, 70.0))
    made = set_blade(
        evaluator.context(Plan(), None), blade, ("chord_mean_line", "leading_radius", "chord_angle")
    ).apply(Plan())
    nominal = {c.name: c.nominal for c in made.characteristics}
    for height in (30.0, 70.0):
        truth = designed(height).values()
        assert nominal[f"{height:g} mm: chord"] == pytest.approx(truth["chord_mean_line"], abs=2e-3)
        assert nominal[f"{height:g} mm: leading edge radius"] == pytest.approx(truth["leading_radius"], abs=3e-3)
        assert nominal[f"{height:g} mm: chord angle"] == pytest.approx(truth["chord_angle"], abs=1e-4)


def test_a_plan_keeps_the_table_as_its_part(path, tmp_path):
    plan = new_plan(path)
    plan.save(tmp_path / "vane.tgplan")
    file = read_plan(tmp_path / "vane.tgplan")
    assert model_of_plan(tmp_path / "vane.tgplan", file).diagonal == pytest.approx(read_part(path).diagonal)
    assert names_features(path)
    write_plan(tmp_path / "again.tgplan", file.plan, file.part)
    assert read_plan(tmp_path / "again.tgplan").part == file.part


def test_sections_may_be_square_to_any_axis_and_in_any_order(tmp_path):
    sections = [(designed(h).around(220, 40), h) for h in (70.0, 10.0, 40.0)]
    model = read_part(table(tmp_path / "x.csv", sections, axis=0))
    assert model.box[:, 0].tolist() == pytest.approx([10.0, 70.0], abs=1e-6)


@pytest.mark.parametrize(("sections", "words"), [
    ([(designed(10.0).around(), 10.0)], "two sections or more"),
    ([(designed(10.0).around(), 10.0), (designed(10.0).around(), 10.0)], "two sections are at the height 10 mm"),
    ([(naca("2412")[0], 0.0), (naca("2412")[0], 50.0)], "sharp edge"),
    ([(designed(10.0).around(), 10.0), (designed(10.0).around()[:200], 20.0)], "section at 20 mm"),
])  # fmt: skip
def test_a_table_that_makes_no_part_says_why(tmp_path, sections, words):
    with pytest.raises(FormatError, match=words):
        read_part(table(tmp_path / "wrong.csv", sections))


def test_a_section_askew_is_refused():
    flat = designed(10.0).around()
    askew = np.column_stack([flat, 10.0 + 0.1 * flat[:, 0]])
    with pytest.raises(GeometryError, match="not square to x, y or z"):
        corresponding([askew, askew + np.array([0.0, 0.0, 20.0])])
