"""What to do next, in one line, while something is still to be done."""

from dataclasses import dataclass

from truegauge.app.document.document import Document
from truegauge.app.document.needs import needs_picture
from truegauge.core.nodes.graph import NotComputed

OPEN_PART, BRING_SCAN = "open-part", "bring-scan"


@dataclass(frozen=True, slots=True)
class NextStep:
    """A sentence, and the command that does it (by its id; empty: it is done by hand)."""

    words: str
    command: str = ""


def part_step(document: Document) -> NextStep | None:
    """Return what comes next of part and drawing."""
    model, plan = document.model, document.plan
    if model is None and document.sample is not None and len(document.sample.points):
        return NextStep("Look for dents on the scan alone, or open a part", "page-surface")
    if model is None:
        return NextStep("Open a part, or drop its file here", OPEN_PART)
    if not plan.characteristics and model.annotations.count:
        return NextStep("Take over the drawing of the file", "annotations")
    if not plan.characteristics:
        return NextStep("Pick a face in the view: what it can be judged by is offered below it")
    return sample_step(document)


def sample_step(document: Document) -> NextStep | None:
    """Return what comes next until there is something measured."""
    if document.model is None:
        return NextStep("Open a part first", OPEN_PART)
    if document.sample is None:
        return NextStep("Bring in a scan, or touch the part with a machine", BRING_SCAN)
    return None


def align_step(document: Document) -> NextStep | None:
    """Return what comes next until the alignment can be believed."""
    said, evaluation = sample_step(document), document.evaluation
    if said is not None or evaluation is None:
        return said
    alignment = evaluation.alignment
    if isinstance(alignment, NotComputed):
        return NextStep(f"Not aligned: {alignment.reason}")
    return NextStep(f"Look into it: {alignment.doubts[0]}") if alignment.doubts else None


def judge_step(document: Document) -> NextStep | None:
    """Return what comes next until there are characteristics with results."""
    if document.plan.silhouette is not None:
        words = needs_picture(document)
        return NextStep(words) if words else None
    said = sample_step(document)
    if document.model is None:
        return said
    if not document.plan.characteristics:
        return NextStep("Pick a face in the view, then take what is offered (Enter)")
    return said
