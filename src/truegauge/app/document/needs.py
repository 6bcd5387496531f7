"""What a document still needs before something can be done, in words; empty when nothing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.nodes.graph import NotComputed

if TYPE_CHECKING:
    from truegauge.app.document.document import Document


def needs_part(document: Document) -> str:
    """Something is done to a part."""
    return "" if document.model is not None else "open a part first"


def needs_picture(document: Document) -> str:
    """Sizes of a silhouette are judged."""
    if document.plan.silhouette is None:
        return ""
    if not document.plan.silhouette.sizes:
        return "drag over the picture: across the part, or along an edge"
    return "" if document.sample is not None else "connect a camera, or open a picture"


def needs_sample(document: Document) -> str:
    """Something is done to a sample."""
    said = needs_part(document)
    return said or ("" if document.sample is not None else "bring in a scan, or touch the part with a machine")


def needs_alignment(document: Document) -> str:
    """Something is measured in part coordinates."""
    said, evaluation = needs_sample(document), document.evaluation
    if said or evaluation is None:
        return said
    alignment = evaluation.alignment
    if isinstance(alignment, NotComputed):
        return alignment.reason
    return alignment.doubts[0] if alignment.doubts else ""


def needs_characteristics(document: Document) -> str:
    """Characteristics are judged."""
    if document.plan.silhouette is not None:
        return needs_picture(document)
    said = needs_sample(document)
    return said or ("" if document.plan.characteristics else "add a characteristic: pick a face")
