"""From a value to a result: the limits that hold in the end, bonus and reciprocity, uncertainty, and the decision."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.plan.document import Characteristic, ConstructedFeature, NominalFeature, Plan
from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.reading import reading_value
from truegauge.core.plan.results import Result
from truegauge.core.plan.rules import definition_of, formed, rule_of, sized
from truegauge.core.plan.tolerances import datum_system, geometric_outcome, system_content, unlettered_outcome
from truegauge.core.samples.sample import Sample
from truegauge.core.samples.words import touch_warning
from truegauge.core.tolerancing import general
from truegauge.core.tolerancing.form import FORM_KINDS
from truegauge.core.tolerancing.judgement import State, decide, dominates
from truegauge.core.tolerancing.kinds import KINDS, Kind, kind_named
from truegauge.core.tolerancing.outcome import Outcome
from truegauge.core.tolerancing.request import are_opposite, width_nominal
from truegauge.core.tolerancing.size_rule import is_size

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

Limits = tuple[float | None, float | None]


def result_of(evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic) -> Result:
    """Return the result of a characteristic; `plan` is seen in the alignment that it is reported in."""
    lower, upper, filled = limits_in_force(evaluator, plan, c)
    value, outcome, notes = value_of(evaluator, plan, sample, c, lower, upper)
    if outcome is not None and upper is not None:
        upper = upper + outcome.bonus
    if isinstance(value, NotComputed):
        why = _reason(evaluator, plan, sample, c, value.reason)
        return Result(c, None, State.NOT_MEASURED, why, lower, upper, filled, definition=definition_of(plan, c))
    if is_size(c.kind) or c.kind in ("radius", "distance"):
        lower, upper, extra = _with_reciprocity(evaluator, plan, sample, c, lower, upper)
        notes += extra
    if c.basic:
        return Result(c, value, State.WITHIN, "", None, None, "", "theoretically exact: not judged", outcome=outcome,
                      notes=tuple(notes), definition=definition_of(plan, c))  # fmt: skip
    coverage, warning = _coverage(evaluator, plan, sample, c)
    u = evaluator.known_uncertainty(plan, sample, c)
    low, high = (None if x is None else c.nominal + x for x in (lower, upper))
    warn_low, warn_high = (None if x is None else c.nominal + x for x in (c.warn_lower, c.warn_upper))
    said = decide(
        value,
        low,
        high,
        warn_lower=warn_low,
        warn_upper=warn_high,
        uncertainty=u,
        rule=plan.decision,
        no_uncertainty=evaluator.why_no_uncertainty(plan, sample, c),
    )
    return Result(c, value, said.state, "", lower, upper, filled, said.words, u,
                  dominates(u, lower, upper, plan.decision.k), outcome, tuple(notes), coverage, warning,
                  surface_words(evaluator, plan, sample, c), definition_of(plan, c))  # fmt: skip


def surface_words(evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic) -> str:
    """Say how the surface behind a result was estimated: of the feature with the most noise, of several."""
    if sample is None or not len(sample.points) or (c.kind in KINDS and KINDS[c.kind].reading):
        return ""
    found = [evaluator.measured(plan, sample, plan.feature(f).group) for f in c.features]
    surfaces = [m.surface for m in found if isinstance(m, Measured) and m.surface is not None]
    return max(surfaces, key=lambda s: s.noise).words if surfaces else ""


def _coverage(evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic) -> tuple[float | None, str]:
    """Return the least coverage of the features of a characteristic, and the warning where it is low."""
    faces = [g for f in c.features for g in _face_groups(plan, f)]
    if sample is None or not faces:
        return None, ""
    if not len(sample.points):
        return None, touch_warning(sample, {i for f in c.features for i in _feature_ids(plan, f)})
    known = [(g, evaluator.coverage(plan, sample, g)) for g in faces]
    shares = [(s, g) for g, s in known if not isinstance(s, NotComputed)]
    if not shares:
        return None, ""
    share, group = min(shares)
    if share >= evaluator.extraction_of(plan, group).low_coverage:
        return share, ""
    feature = plan.feature_with_faces(group)
    return share, f"points on only {100 * share:.0f} % of {feature.name if feature else 'the faces'}"


def _feature_ids(plan: Plan, feature_id: str) -> list[str]:
    found = plan.named(feature_id)
    if isinstance(found, ConstructedFeature):
        return [i for m in found.members for i in _feature_ids(plan, m)]
    return [feature_id]


def _face_groups(plan: Plan, feature_id: str) -> list[tuple[int, ...]]:
    found = plan.named(feature_id)
    if isinstance(found, NominalFeature):
        return [found.faces]
    if isinstance(found, ConstructedFeature):
        return [g for m in found.members for g in _face_groups(plan, m)]
    return []


def value_of(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic, lower: float | None, upper: float | None
) -> tuple[float | NotComputed, Outcome | None, list[str]]:
    """Return the value of a characteristic with the outcome of a geometrical one, and notes; limits as deviations."""
    if evaluator.is_geometric(c.kind):
        outcome = characteristic_outcome(evaluator, plan, sample, c)
        if isinstance(outcome, NotComputed):
            return outcome, None, []
        return outcome.value, outcome, list(outcome.notes)
    size, groups = rule_of(plan, c), tuple(plan.named(f).group for f in c.features)
    if size is not None and sample is not None:
        found = sized(evaluator, plan, sample, groups, size, (_over(c, lower), _over(c, upper)))
        return (found, None, []) if isinstance(found, NotComputed) else (found[0], None, [found[1]])
    if c.kind in FORM_KINDS and sample is not None:
        found = formed(evaluator, plan, sample, c)
        return (found, None, []) if isinstance(found, NotComputed) else (found[0], None, [x for x in found[1:] if x])
    if c.datums and c.kind in KINDS and KINDS[c.kind].placed:
        return _in_system(evaluator, plan, sample, c), None, []
    if c.kind in KINDS and KINDS[c.kind].reading:
        return reading_value(evaluator, plan, sample, c), None, []
    return evaluator.value(plan, sample, c.kind, groups), None, []


def _over(c: Characteristic, limit: float | None) -> float | None:
    return None if limit is None else c.nominal + limit


def characteristic_outcome(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic
) -> Outcome | NotComputed:
    """Return the outcome of a geometrical characteristic: in its datum system, or to its second feature as datum."""
    if not c.datums and c.kind in ("perpendicularity", "parallelism") and len(c.features) == 2:
        return unlettered_outcome(evaluator, plan, sample, c)
    return geometric_outcome(evaluator, plan, sample, c)


def _reason(evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic, reason: str) -> str:
    if c.kind in KINDS and KINDS[c.kind].reading:
        return reason
    for feature in map(plan.feature, c.features) if sample is not None else ():
        if isinstance(evaluator.measured(plan, sample, feature.group), NotComputed):
            named = reason.startswith((feature.name, "datum"))
            return reason if named else f"{feature.name}: {reason}"
    return reason


def limits_in_force(evaluator: Evaluator, plan: Plan, c: Characteristic) -> tuple[float | None, float | None, str]:
    """Return the limits of a characteristic, or those of the general tolerances where it has none, and their name."""
    if c.lower is not None or c.upper is not None or c.basic or not plan.general.say():
        return c.lower, c.upper, ""
    kind = KINDS.get(c.kind)
    nominals = [evaluator.nominal(plan.named(f).group, plan) for f in c.features]
    known = tuple(n for n in nominals if isinstance(n, Nominal))
    if kind is None:
        return None, None, ""
    found = general_limits(plan.general, kind, c.nominal, known)
    return (*found, plan.general.say()) if found != (None, None) else (None, None, "")


def general_limits(
    stated: general.GeneralTolerances, kind: Kind, nominal: float, features: tuple[Nominal, ...]
) -> Limits:
    """Return what general tolerances give for a kind; nothing where they say nothing."""
    length = min((f.length for f in features), default=0.0)
    if kind.geometric or kind.one_sided:
        if kind.name == "profile_surface" and stated.surface is not None:
            return None, stated.surface
        if stated.geometry is None:
            return None, None
        tables = {
            "perpendicularity": general.squareness_tolerance, "symmetry": general.symmetry_tolerance,
            "flatness": general.form_tolerance, "straightness": general.form_tolerance,
            "parallelism": general.form_tolerance,
        }  # fmt: skip
        if kind.name in tables:
            return None, tables[kind.name](length, stated.geometry)
        return (None, general.run_out_tolerance(stated.geometry)) if kind.name == "circular_runout" else (None, None)
    if kind.angular:
        if stated.linear is None:
            return None, None
        t = general.angle_tolerance(length, stated.linear)
        return -t, t
    if stated.size is not None:
        return -stated.size, stated.size
    if stated.linear is not None and nominal > 0:
        t = general.length_tolerance(nominal, stated.linear)
        return -t, t
    return None, None


def _in_system(evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic) -> float | NotComputed:
    """Return a coordinate or a distance along an axis in the datum system of the characteristic."""
    if sample is None:
        return NotComputed("no sample yet: bring in a scan")
    groups = tuple(plan.named(f).group for f in c.features)
    system = datum_system(evaluator, plan, sample, c.datums)
    if isinstance(system, NotComputed):
        return system

    def compute() -> float:
        members: list[Measured | Built] = []
        for g, f in zip(groups, c.features, strict=True):
            one = evaluator.measured(plan, sample, g)
            if isinstance(one, NotComputed):
                raise EvaluationError(f"{plan.feature(f).name}: {one.reason}")
            members.append(one)
        placed = tuple(Built(m.feature.moved(system.part_from_measured), m.nominal, m.rows, m.strays) for m in members)
        return kind_named(c.kind).value(placed)

    contents = tuple(plan.content_of(g) for g in groups)
    key = ("in system", *evaluator.seen_key(plan, sample), c.kind, contents, system_content(evaluator, plan, c.datums))
    return evaluator.graph.node(key, compute)


def _with_reciprocity(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic, lower: float | None, upper: float | None
) -> tuple[float | None, float | None, list[str]]:
    """Let the size take what a tolerance at maximum material with reciprocity leaves unused (ISO 2692:2021, 6)."""
    for other in plan.by_feature.get(c.features[0], ()):
        if "R" not in other.modifiers or other.upper is None or not evaluator.is_geometric(other.kind):
            continue
        found = characteristic_outcome(evaluator, plan, sample, other)
        hole = _is_hole(evaluator, plan, c)
        if isinstance(found, NotComputed) or hole is None:
            continue
        mine = {plan.named(f).name for f in c.features}
        own = next((u for u in found.units if set(u.name.split(" and ")) == mine), None)
        if own is None:
            continue
        unused = max(0.0, other.upper - own.value)
        if unused == 0.0:
            return lower, upper, []
        lower_side = hole == ("M" in other.modifiers)
        said = [f"reciprocity: {unused:.4f} mm of characteristic {other.number} is unused and widens the size"]
        if lower_side:
            return None if lower is None else lower - unused, upper, said
        return lower, None if upper is None else upper + unused, said
    return lower, upper, []


def _is_hole(evaluator: Evaluator, plan: Plan, c: Characteristic) -> bool | None:
    """Tell a hole or slot from a shaft or tongue; None for what is no feature of size."""
    found = [evaluator.nominal(plan.named(f).group, plan) for f in c.features]
    known = [n for n in found if isinstance(n, Nominal)]
    if len(known) == 1 and len(found) == 1:
        return known[0].outward < 0
    if len(known) == 2 and are_opposite(known[0].feature, known[1].feature):
        return width_nominal(known[0], known[1]).outward < 0
    return None
