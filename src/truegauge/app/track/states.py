"""What the track asks of the session: what is known of features that were measured, and why there is no route."""

from truegauge.app.document.session import Session
from truegauge.core.tolerancing.judgement import State


def states_of(session: Session) -> dict[str, str]:
    """Return "done" or "outside" by the ids of features that have touches."""
    if session.evaluation is None or session.sample is None or not session.sample.probed:
        return {}
    found = {t.feature: "done" for t in session.sample.probed if t.feature}
    for r in session.evaluation.results:
        # What is measured from another feature is that feature's business no more.
        if r.state == State.OUTSIDE and r.characteristic.features[0] in found:
            found[r.characteristic.features[0]] = "outside"
    return found


def why_no_route(session: Session) -> str:
    """Say why no route can be made; empty when one can."""
    if session.model is None:
        return "open a part first"
    if not session.plan.probing.uses():
        return "build a probe first: see Devices"
    if not session.plan.features:
        return "the plan has no features yet"
    return ""
