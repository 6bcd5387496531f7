"""What a run comes to in words."""

from truegauge.core.evaluation.results import Evaluation
from truegauge.core.tolerancing.judgement import State
from truegauge.runs.events import PartLocated, TemperatureRead

_WORST = ((State.OUTSIDE, "outside"), (State.NOT_MEASURED, "not measured"), (State.UNDECIDED, "not decided"),
          (State.NEAR, "near a limit"))  # fmt: skip


def verdict_of(evaluation: Evaluation | None) -> tuple[str, State | None]:
    """Return the verdict over a part, and the worst state of its results; None while they are worked out."""
    if evaluation is None:
        return "the results are being worked out", None
    counts = evaluation.counts()
    for state, words in _WORST:
        if counts[state]:
            return f"{counts[state]} {words}", state
    return ("all within", State.WITHIN) if evaluation.results else ("nothing is judged", State.NOT_MEASURED)


def said_of(event: TemperatureRead | PartLocated) -> str:
    """Return what was found on the way, in words."""
    if isinstance(event, TemperatureRead):
        return f"the part has {event.temperature_c:.1f} °C"
    return f"the part is located, {event.moved:.3f} mm from where it was taken to lie"
