"""What the outputs of an inspection say of the blades of a plan."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from truegauge.core.blades.result import SectionResult
from truegauge.core.nodes.blades import BladeScatter, MeasuredBlade
from truegauge.formats.blades_json import sections_document

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


def blade_documents(evaluator: Evaluator, plan: Plan, sample: Sample | None) -> tuple[dict[str, Any], ...]:
    """Return the blades of a plan as other systems read them, of what is worked out."""
    context, made = evaluator.context(plan, sample), []
    for blade in plan.blades:
        results = []
        for section in blade.sections:
            found, u = (context.peek(node(blade, section)) for node in (MeasuredBlade, BladeScatter))
            if isinstance(found, SectionResult):
                results.append(replace(found, uncertainties=u if isinstance(u, dict) else {}))
        made.append({"name": blade.name, **sections_document(results)})
    return tuple(made)
