"""What stands on the table of a machine beside part and sphere, as boxes: kept with the machine, gone around."""

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.box_list import BoxList, BoxOwner, in_order
from truegauge.core.frozen_model import Three
from truegauge.core.probing.records import Fixture
from truegauge.drawing.units import NumberFormat


class Fixtures(BoxList):
    """Boxes in machine coordinates."""

    def __init__(self, model: DevicesModel) -> None:
        machine, session = model.machine, model.session

        def add(name: str, a: Three, b: Three) -> None:
            low, high = in_order(a, b)
            made = Fixture(name=name, low=low, high=high)
            rest = tuple(f for f in machine.record.fixtures if f.name != name)
            machine.set_record(machine.record.replace(fixtures=(*rest, made)))

        def remove(k: int) -> None:
            kept = machine.record.fixtures
            machine.set_record(machine.record.replace(fixtures=kept[:k] + kept[k + 1 :]))

        owner = BoxOwner(
            lambda: machine.record.fixtures, add, remove, lambda: NumberFormat(session.plan.unit, 1), session.notify
        )
        words = "Clamps, vices, a rack: boxes in machine coordinates that no probe is sent into."
        super().__init__(owner, words, "what stands on the table")
