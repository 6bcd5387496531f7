"""What readouts tell of a tip, against the definition: the designed shape in closed form, in random poses."""

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.commands.history import History
from truegauge.core.commands.readouts import RemoveReadout, SetReadout
from truegauge.core.evaluation.located import Lie
from truegauge.core.evaluation.readouts import read_out
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.readouts import Readout
from truegauge.core.plan.references import without_features
from truegauge.core.tolerancing.judgement import State
from truegauge.formats.plan_file import read_plan, write_plan

RADIUS = 1.5
BORE = np.array([58.0, 45.0])  # the main bore along z, of 42 mm


@pytest.fixture(scope="module")
def ids(plan):
    return {f.name: f.id for f in plan.features}


@pytest.fixture(params=range(3))
def reader(request, evaluator, plan):
    """Read a place of the part by a device that stands anywhere, the part a little warm."""
    pose, warm = random_rigid(np.random.default_rng(request.param), 2000.0), 1.0 + 1e-4 * request.param
    lie = Lie(invert(pose), 1 / warm)

    def read(at, **about):
        center = warm * apply(pose, np.asarray(at, float)[None])[0]
        return read_out(Readout(id="r", **about), plan, evaluator, lie, center, RADIUS)

    return read


def test_towards_features_axes_and_points(reader, ids):
    rng = np.random.default_rng(4)
    for _ in range(12):
        place = np.array([*(BORE + rng.uniform(-15, 15, 2)), rng.uniform(20, 58)])
        beside = float(np.linalg.norm(place[:2] - BORE))
        told = reader(place, subject="feature", feature=ids["main bore"])
        assert told.value == pytest.approx(21.0 - beside - RADIUS, abs=1e-6)  # in a hole the material is outside
        assert told.signed
        assert told.of == "main bore"
        assert told.state is None
        axis = reader(place, subject="axis", feature=ids["main bore"])
        assert axis.value == pytest.approx(beside, abs=1e-6)
        assert [name for name, _ in axis.cells] == ["from the axis", "along it"]
        top = reader(place + np.array([0.0, 0, 10]), subject="feature", feature=ids["top face"])
        assert top.value == pytest.approx(place[2] + 10 - 60.0 - RADIUS, abs=1e-6)
        x, y, z = (v for _, v in reader(place, subject="tip").cells)
        assert (x, y, z) == pytest.approx(tuple(place), abs=1e-6)
        point = reader(place, subject="point", place=(10.0, 20.0, 30.0))
        off = place - (10.0, 20.0, 30.0)
        assert [v for _, v in point.cells] == pytest.approx([np.linalg.norm(off), *off], abs=1e-6)
        socket = reader(place, subject="point", feature=ids["ball socket"])
        assert socket.value == pytest.approx(np.linalg.norm(place - (107.0, 63.0, 55.5)), abs=1e-4)


def test_limits_judge_the_number_that_is_shown_biggest(reader, ids):
    place = (*BORE, 40.0)
    for low, high, state in ((-1.0, 1.0, State.WITHIN), (-2.0, -1.0, State.OUTSIDE)):
        told = reader(place, subject="axis", feature=ids["main bore"], lower=low, upper=high)
        assert (told.state, told.lower, told.upper) == (state, low, high)
    # Of a surface without limits of its own: what is allowed on the face.
    told = reader((BORE[0], BORE[1] + 21.0 - RADIUS - 0.01, 45.0), subject="surface")
    assert told.value == pytest.approx(0.01, abs=1e-6) or told.value == pytest.approx(-0.01, abs=1e-6)
    assert told.state is State.WITHIN
    assert told.by == "the band of the map"
    assert told.of == "main bore"
    own = reader((BORE[0], BORE[1] + 21.0 - RADIUS - 0.01, 45.0), subject="surface", lower=-0.005, upper=0.005)
    assert own.state is State.OUTSIDE
    assert own.by == "limits of this readout"


def test_what_has_no_axis_and_no_middle_says_so(reader, ids):
    assert "no axis" in reader((0, 0, 0), subject="axis", feature=ids["top face"]).reason
    assert "no point in its middle" in reader((0, 0, 0), subject="point", feature=ids["top face"]).reason
    assert isinstance(reader((0, 0, 0), subject="feature", feature="nobody"), NotComputed)
    assert isinstance(reader((0, 0, 0), subject="feature", feature=ids["shroud"]), NotComputed)  # no ideal shape


@pytest.mark.parametrize(
    ("about", "words"),
    [({"subject": "axis"}, "needs a feature"), ({"lower": 1.0}, "both limits"), ({"lower": 1.0, "upper": 0.0}, "above"),
     ({"subject": "smell"}, "subject"), ({"decimals": 9}, "decimals")],
)  # fmt: skip
def test_readouts_that_make_no_sense_are_refused(about, words):
    with pytest.raises(ValueError, match=words):
        Readout(id="r", **about)


def test_readouts_are_saved_undone_and_go_with_their_features(plan, ids, tmp_path):
    history = History(plan)
    history.run(SetReadout(Readout(id="a", subject="axis", feature=ids["main bore"], lower=0.0, upper=0.1)))
    history.run(SetReadout(Readout(id="b")))
    history.run(SetReadout(Readout(id="b", decimals=2)))
    assert [(r.id, r.decimals) for r in history.plan.readouts] == [("a", None), ("b", 2)]
    path = tmp_path / "r.tgplan"
    write_plan(path, history.plan, demo.PART.read_bytes())
    assert read_plan(path).plan.readouts == history.plan.readouts
    assert [r.id for r in without_features(history.plan, frozenset({ids["main bore"]})).readouts] == ["b"]
    history.run(RemoveReadout("a"))
    assert [r.id for r in history.plan.readouts] == ["b"]
    for _ in range(4):
        history.undo()
    assert history.plan.readouts == ()
    with pytest.raises(ValueError, match="two readouts"):
        plan.replace(readouts=(Readout(id="x"), Readout(id="x")))
