"""A requirement while it is typed: what is not touched stays, every cell is understood, what cannot be is said."""

import re

import numpy as np
import pytest

from truegauge.core.authoring.drafts import ZONES, change_of_several, draft_of
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.requirements import Characteristic, Datum, DatumReference
from truegauge.core.tolerancing.zone import Zone
from truegauge.drawing.units import NumberFormat

MM, INCH = NumberFormat("mm", 4), NumberFormat("inch", 5)
PLAN = Plan(
    features=(NominalFeature(id="f", name="bore", faces=(1,)), NominalFeature(id="g", name="base", faces=(2,)),
              NominalFeature(id="h", name="side", faces=(3,))),
    datums=(Datum(letter="A", feature="g"), Datum(letter="B", feature="h")),
)  # fmt: skip
SIZE = Characteristic(id="s", number=1, name="bore size", kind="diameter", features=("f",), nominal=25.4, lower=-0.0254,
                      upper=0.0508)  # fmt: skip
POSITION = Characteristic(id="p", number=2, name="bore position", kind="position", features=("f",), nominal=0.0,
                          upper=0.127, datums=(DatumReference(letter="A"),), zone=Zone(shape="cylinder"))  # fmt: skip
FLAT = Characteristic(id="t", number=3, name="base flat", kind="flatness", features=("g",), nominal=0.0, upper=0.05)


def changed(c, numbers=MM, datums=None, **texts):
    """Return what a requirement is changed to by texts in its cells."""
    draft = draft_of(c, numbers)
    made = draft.typed({**draft.texts, **texts}, draft.datums if datums is None else (*datums, "", "", "")[:3])
    return dict(made.changes(PLAN, []))


@pytest.mark.parametrize("numbers", [MM, INCH], ids=["mm", "inch"])
def test_what_is_not_touched_stays_to_the_last_digit(numbers):
    rng = np.random.default_rng(231)
    for _ in range(200):
        lower, upper, nominal = rng.uniform(-1, 0), rng.uniform(0, 1), rng.uniform(1, 100)
        for c in (SIZE.replace(nominal=nominal, lower=lower, upper=upper, warn_upper=upper / 3),
                  POSITION.replace(upper=upper, zone=Zone(second=upper / 7)), FLAT.replace(upper=upper)):  # fmt: skip
            assert changed(c, numbers) == {}


@pytest.mark.parametrize(
    ("c", "texts", "expected"),
    [
        (SIZE, {"upper": "0.1"}, {"upper": 0.1}),
        (SIZE, {"upper": "0.1/4 + 0.025"}, {"upper": 0.05}),
        (SIZE, {"upper": "50 um", "lower": "-0.5/25.4"}, {"upper": 0.05, "lower": -0.5 / 25.4}),
        (SIZE, {"upper": ""}, {"upper": None}),
        (SIZE, {"lower": "-0.02", "name": "the bore"}, {"lower": -0.02, "name": "the bore"}),
        (SIZE, {"name": ""}, {}),
        (SIZE, {"upper": "H7"}, {"fit": "H7", "lower": 0.0, "upper": 0.021}),
        (SIZE, {"warn_upper": "0.01", "sheet_zone": "C4"}, {"warn_upper": 0.01, "sheet_zone": "C4"}),
        (SIZE, {"modifiers": "E"}, {"modifiers": ("E",)}),
        (FLAT, {"upper": "0.02/100"}, {"upper": 0.02, "zone": Zone(per=100.0)}),
        (FLAT, {"upper": "0.05/50x40"}, {"zone": Zone(per=50.0, per_second=40.0)}),
        (FLAT.replace(zone=Zone(per=100.0)), {"upper": "0.03"}, {"upper": 0.03, "zone": Zone()}),
        (POSITION, {"upper": "0.2x0.1"}, {"upper": 0.2, "zone": Zone(shape="cylinder", second=0.1)}),
        (POSITION, {"simultaneous": "S1"}, {"simultaneous": "S1"}),
    ],
)
def test_a_cell_that_is_typed_into_changes_what_it_says(c, texts, expected):
    assert changed(c, **texts) == expected


def test_inches_are_read_as_inches():
    assert changed(SIZE, INCH, upper="0.003")["upper"] == pytest.approx(0.0762, abs=1e-12)
    assert changed(POSITION, INCH, upper="0.01")["upper"] == pytest.approx(0.254, abs=1e-12)


def test_the_limits_of_a_fit_follow_the_nominal():
    h7 = SIZE.replace(nominal=25.0, lower=0.0, upper=0.021, fit="H7")
    assert changed(h7, nominal="60") == {"nominal": 60.0, "upper": 0.030}
    assert changed(h7, lower="-0.01")["fit"] == ""


def test_datum_cells_are_read_in_their_order():
    assert changed(POSITION, datums=("A(M)",)) == {"datums": (DatumReference(letter="A", modifiers=("M",)),)}
    assert changed(POSITION, datums=("",)) == {"datums": ()}
    with pytest.raises(ValueError, match="a datum cell before the last one is empty"):
        changed(POSITION, datums=("", "A"))


def test_datums_beyond_the_cells_stay():
    letters = tuple(Datum(letter=x, feature="g") for x in "ABCDE")
    five = POSITION.replace(datums=tuple(DatumReference(letter=x) for x in "ABCDE"))
    draft = draft_of(five, MM).typed(draft_of(five, MM).texts, ("A", "C", "B"))
    assert [d.letter for d in dict(draft.changes(PLAN.replace(datums=letters), []))["datums"]] == list("ACBDE")


def test_kind_and_zone_are_chosen():
    draft = draft_of(POSITION, MM)
    assert draft.zone_choice.words == "a cylinder"
    for choice in ZONES:
        made = draft.with_zone(choice)
        assert made.zone_choice == choice
        if choice.shape == "rectangle":  # has two widths
            assert "needs its second width" in made.problem(PLAN, [])
            made = made.typed({**made.texts, "upper": "0.2x0.1"}, made.datums)
        zone = dict(made.changes(PLAN, [])).get("zone", POSITION.zone)
        assert (zone.shape, zone.direction) == (choice.shape, choice.direction)
    assert dict(draft.with_kind("perpendicularity").changes(PLAN, [])) == {"kind": "perpendicularity"}
    assert draft_of(POSITION.replace(zone=Zone(shape="planes", direction=(0.6, 0.8, 0.0))), MM).zone_choice is None


def test_a_zone_and_what_is_typed_into_the_value_are_kept_together():
    draft = draft_of(POSITION, MM).with_zone(ZONES[7])
    made = draft.typed({**draft.texts, "upper": "0.3x0.2", "modifiers": "P30"}, draft.datums)
    found = dict(made.changes(PLAN, []))
    assert found["upper"] == 0.3
    assert found["zone"] == Zone(shape="rectangle", direction=(1.0, 0.0, 0.0), second=0.2, projected=30.0)


@pytest.mark.parametrize(
    ("c", "texts", "words"),
    [
        (SIZE, {"upper": "wide"}, "the upper 'wide' is not a number"),
        (SIZE, {"nominal": ""}, "the nominal '' is not a number"),
        (SIZE, {"warn_lower": "x"}, "the warning lower 'x' is not a number"),
        (SIZE, {"upper": "QQ99"}, "QQ99"),
        (FLAT, {"upper": "0.1/0"}, "is no unit length or area"),
        (FLAT, {"upper": "0.1/1x2x3"}, "is no unit length or area"),
        (FLAT, {"modifiers": "M"}, "cannot be at maximum material"),
        (POSITION, {"modifiers": "Q7"}, "Q7"),
    ],
)
def test_what_cannot_be_is_said_in_words(c, texts, words):
    draft = draft_of(c, MM)
    made = draft.typed({**draft.texts, **texts}, draft.datums)
    assert words in made.problem(PLAN, [])
    with pytest.raises(ValueError, match=re.escape(words)):
        made.changes(PLAN, [])


def test_several_are_changed_by_the_same_texts():
    assert change_of_several(PLAN, SIZE, MM, {"upper": "0.07", "datums": "A", "sheet_zone": " F1 "}) == {
        "upper": 0.07, "sheet_zone": "F1"
    }  # fmt: skip
    assert change_of_several(PLAN, POSITION, MM, {"upper": "", "datums": "A | B(M)"})["datums"][1].modifiers == ("M",)
    assert change_of_several(PLAN, POSITION, MM, {"datums": "-"}) == {"datums": ()}
    assert change_of_several(PLAN, SIZE, MM, {"lower": "-", "upper": " "}) == {"lower": None}
    assert change_of_several(PLAN, SIZE, MM, {"upper": "  "}) == {}
    with pytest.raises(ValueError, match="the upper 'x' is not a number"):
        change_of_several(PLAN, SIZE, MM, {"upper": "x"})
    with pytest.raises(ValueError, match="characteristic 3"):
        change_of_several(PLAN, FLAT, MM, {"modifiers": "M"})
