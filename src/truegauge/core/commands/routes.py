"""Commands that change the route of a plan."""

from dataclasses import dataclass

from pydantic import ValidationError

from truegauge.core.plan.document import Plan
from truegauge.core.routes.document import Route, TemperatureStep
from truegauge.core.typed_number import typed_number


@dataclass(frozen=True, slots=True)
class SetRoute:
    """Change the route: its steps, their order, what it is planned around."""

    route: Route
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(route=self.route)


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
