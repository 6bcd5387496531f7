"""A plan of the demo part with few features, and qualified stand-ins."""

import pytest
from tests.runs.shop import FEW, Shop

from truegauge.core.routes.document import AlignStep, MeasureStep, NoteStep, TemperatureStep
from truegauge.demo.cmm_plan import cmm_plan


@pytest.fixture(scope="session")
def small_plan(model):
    """Datums, their alignment, a bore; with a note and a temperature."""
    plan = cmm_plan(model)
    by_hand = plan.alignments[0]
    # Where an operator gets with a stylus that points down.
    near = {"A1": (30.0, 6.0, 0.0), "A2": (115.0, 6.0, 0.0), "A3": (70.0, 15.0, 0.0), "C1": (0.0, 15.0, 7.0)}
    targets = tuple(t.replace(place=near.get(t.name, t.place)) for t in by_hand.targets if t.name != "Top")
    plan = plan.replace(alignments=(by_hand.replace(targets=targets), *plan.alignments[1:]))
    steps = (
        TemperatureStep(id="warm", lowest=15.0, highest=25.0),
        *(MeasureStep(id=f"m-{f}", feature=f) for f in FEW[:3]),
        AlignStep(id="a-abc", alignment="abc"), NoteStep(id="wipe", text="Wipe the bore"),
        MeasureStep(id="m-main-bore", feature="main-bore"),
    )  # fmt: skip
    first = plan.probing.assembly("p1")
    probing = plan.probing.replace(assemblies=(first,), rack=plan.probing.rack[:1])
    return plan.replace(route=plan.route.replace(steps=steps), probing=probing)


@pytest.fixture(scope="module")
def qualified(small_plan, evaluator):
    """The qualifications of the machine with seed 3."""
    shop = Shop(small_plan, evaluator)
    shop.qualify()
    yield shop.record
    shop.close()


@pytest.fixture
def shop(small_plan, evaluator, qualified):
    """Make shops whose machine is qualified; all are closed."""
    made = []

    def make(**given):
        made.append(Shop(small_plan, evaluator, **given))
        made[-1].record = qualified
        return made[-1]

    yield make
    for one in made:
        one.close()
