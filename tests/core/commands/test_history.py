import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from truegauge.core.commands.alignments import SetAlignment
from truegauge.core.commands.features import AddFeature, EditFeature, RemoveFeature
from truegauge.core.commands.history import History
from truegauge.core.commands.part import SetPart
from truegauge.core.commands.requirements import AddCharacteristic, EditCharacteristic, RemoveCharacteristic
from truegauge.core.commands.shown import SetDisplay, SetScale, SetTitleBlock
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.plan.document import BestFitAlignment, Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.plan.title import TitleBlock

FEATURE = NominalFeature(id="f", name="bore 1", faces=(3,))
SIZE = Characteristic(
    id="c", number=1, name="bore", kind="diameter", features=("f",), nominal=42.0, lower=-0.1, upper=0.1
)
BASE = Plan().replace(features=(FEATURE,), characteristics=(SIZE,))
SECOND = NominalFeature(id="g", name="bore 2", faces=(4,))

COMMANDS = [
    SetPart(PartReference(file_name="a.step", sha256="0" * 64), "a"),
    AddCharacteristic(SIZE.replace(id="d", number=2, features=("g",)), (SECOND,)),
    AddFeature(SECOND),
    EditFeature("f", (("name", "main bore"),)),
    EditFeature("f", (("criterion", "maximum_inscribed"),)),
    EditCharacteristic("c", (("upper", 0.02),)),
    RemoveCharacteristic("c"),
    RemoveFeature("f"),
    SetScale(DeviationScale(limit=0.2, tolerance=0.1)),
    SetAlignment(BestFitAlignment(trim=4.0)),
    SetDisplay((("unit", "inch"),)),
    SetTitleBlock(TitleBlock(title="Housing")),
]


@pytest.mark.parametrize("command", COMMANDS, ids=lambda c: type(c).__name__)
def test_undo_gives_back_the_same_plan_and_redo_the_other(command):
    history = History(BASE)
    assert history.run(command)
    after = history.plan
    assert after != BASE
    assert history.undo_label == command.label
    assert history.undo()
    assert history.plan == BASE
    assert history.redo()
    assert history.plan == after


@given(st.lists(st.integers(0, len(COMMANDS) - 1), max_size=12))
def test_undoing_everything_gives_the_first_plan(chosen):
    history = History(BASE)
    for index in chosen:
        try:
            history.run(COMMANDS[index])
        except Exception:  # noqa: BLE001 - a command may not fit the plan; then it must leave no trace
            continue
    while history.undo():
        pass
    assert history.plan is BASE
    assert history.is_saved


def test_a_drag_is_one_entry():
    history = History(BASE)
    for limit in (0.2, 0.3, 0.4):
        history.run(SetScale(DeviationScale(limit=limit)))
    history.end_merge()
    history.run(SetScale(DeviationScale(limit=0.5)))
    history.undo()
    assert history.plan.scale.limit == 0.4
    history.undo()
    assert history.plan == BASE


def test_a_command_that_changes_nothing_is_not_recorded():
    history = History(BASE)
    assert not history.run(EditCharacteristic("c", (("upper", 0.1),)))
    assert not history.undo_label


@pytest.mark.parametrize(
    "changes",
    [(("lower", 0.5),), (("upper", float("nan")),), (("number", 0),), (("features", ("missing",)),)],
)
def test_a_plan_refuses_what_makes_no_sense_and_stays(changes):
    history = History(BASE)
    with pytest.raises(ValidationError):
        history.run(EditCharacteristic("c", changes))
    assert history.plan is BASE


def test_another_part_takes_the_features_away_and_undo_brings_them_back():
    history = History(BASE)
    history.run(SetPart(PartReference(file_name="b.step", sha256="1" * 64), "b"))
    assert history.plan.features == ()
    history.undo()
    assert history.plan.features == (FEATURE,)
