"""What is known of features that were measured, for their chips on the track."""

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
