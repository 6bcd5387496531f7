"""Commands that change the route of a plan."""

from dataclasses import dataclass

from pydantic import ValidationError

from truegauge.core.commands.command import Command, Several
from truegauge.core.commands.probing import SetProbing
from truegauge.core.plan.document import Plan
from truegauge.core.routes.candidates import with_added
from truegauge.core.routes.document import Route, TemperatureStep
from truegauge.core.routes.shortening import Shorter
from truegauge.core.typed_number import typed_number


@dataclass(frozen=True, slots=True)
class SetRoute:
    """Change the route: its steps, their order, what it is planned around."""

    route: Route
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(route=self.route)


def take_shorter(plan: Plan, found: Shorter) -> Command:
    """Return what takes over a shorter order, with the poses that were added for it."""
    order = SetRoute(found.route, "a shorter order")
    if not found.added:
        return order
    probing = SetProbing(with_added(plan.probing, found.added), "add poses")
    return Several((probing, order), "a shorter order, and poses for it")


def new_step_id(route: Route, kind: str) -> str:
    """Return an id for a new step that no step of the route has: a letter for its kind, and a number."""
    used = {s.id for s in route.steps}
    return next(name for k in range(1, len(used) + 2) if (name := f"{kind}-{k}") not in used)


def temperature_step(step_id: str, text: str) -> TemperatureStep:
    """Return a reading of the temperature with the limits of a text, "19 21" in °C; none without numbers.

    Raises
    ------
    ValueError
        The text has other than none or two numbers, or they are in the wrong order.
    """
    words = [w for w in text.replace("°C", " ").split() if w != "to"]
    if not words:
        return TemperatureStep(id=step_id)
    if len(words) != 2:
        raise ValueError(f"{text!r} is not two temperatures, as 19 21")
    low, high = map(typed_number, words)
    try:
        return TemperatureStep(id=step_id, lowest=low, highest=high)
    except ValidationError:
        raise ValueError(f"{text!r}: the lowest temperature comes first, both between -60 and 200 °C") from None
