"""What "Why this number" says about a characteristic, section by section. No widget; tests read it."""

from dataclasses import dataclass

from truegauge.core.authoring.modifier_words import meaning_of
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.datums.freedoms import Freedoms
from truegauge.core.datums.system import EstablishedSystem
from truegauge.core.evaluation.results import Result
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.nodes.context import Context
from truegauge.core.nodes.datum_systems import datum_system
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.stated import stated_by
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.judgement import DOMINATES
from truegauge.drawing.units import NumberFormat, limits_text

_ASSOCIATIONS = {
    "outside": "outside the material",
    "least_squares": "least squares",
    "high_points": "on the highest points",
}
_MOST_UNITS = 12
Pairs = list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Section:
    """A heading with rows of label and value."""

    title: str
    rows: tuple[tuple[str, str], ...]


def why(context: Context, result: Result, numbers: NumberFormat) -> tuple[Section, ...]:
    """Return the sections; those that say nothing are left out."""
    seen = context.seen_in(result.characteristic.alignment)
    sections = (
        Section("Limits", tuple(_limits(result, numbers))),
        Section("Features and points", tuple(_features(seen, result, numbers))),
        Section("Datum system", tuple(_datums(seen, result, numbers))),
        Section("Worst place", tuple(_worst(result, numbers))),
        Section("Uncertainty and decision", tuple(_uncertainty(context.plan, result, numbers))),
    )
    return tuple(s for s in sections if s.rows)


def freedoms_of(context: Context, c: Characteristic) -> Freedoms | None:
    """Return who holds which freedom in the datum system of a characteristic; None without one."""
    system = _system(context.seen_in(c.alignment), c)
    return None if system is None else system.freedoms


def _system(context: Context, c: Characteristic) -> EstablishedSystem | None:
    if not c.datums:
        return None
    found = datum_system(context, stated_by(context, c).datums)
    return None if isinstance(found, NotComputed) else found


def _limits(result: Result, n: NumberFormat) -> Pairs:
    c = result.characteristic
    rows = [("stated", limits_text(n, c.nominal, c.lower, c.upper) if not c.basic else "theoretically exact")]
    if c.fit:
        rows.append(("fit class", f"{c.fit} (ISO 286)"))
    if result.general:
        rows.append(("general tolerance", result.general))
        rows.append(("so", limits_text(n, c.nominal, result.lower, result.upper)))
    if result.outcome is not None and any(u.bonus for u in result.outcome.units):
        rows.append(("bonus of its size", n.signed(result.outcome.bonus)))
        rows.append(("allowed in all", n.value(result.upper or 0.0)))
    if c.warn_lower is not None or c.warn_upper is not None:
        rows.append(("warning", limits_text(n, c.nominal, c.warn_lower, c.warn_upper)))
    if result.definition:
        rows.append(("size is", result.definition if c.modifiers else f"{result.definition}, the default of the plan"))
    rows += [("modifier", f"{m}: {said}") for m in c.modifiers if (said := meaning_of(c.kind, m))]
    if c.simultaneous:
        rows.append(("simultaneous", c.simultaneous))
    if result.surface:
        rows.append(("surface", result.surface))
    if result.coverage is not None:
        rows.append(("covered", f"{100 * result.coverage:.0f} % of the least covered feature"))
    if result.warning:
        rows.append(("warning", result.warning))
    return rows + [("note", text) for text in result.notes]


def _features(context: Context, result: Result, n: NumberFormat) -> Pairs:
    c, outcome, plan = result.characteristic, result.outcome, context.plan
    rows: Pairs = []
    if outcome is not None and outcome.association:
        rows.append(("judged by", outcome.association))
    own = kind_named(c.kind).why(context, c, n)
    if own is not None:
        return own
    groups = {plan.named(f).name: plan.named(f).group for f in c.features}
    worst = None if outcome is None else max(outcome.units, key=lambda u: u.value - u.bonus, default=None)
    for unit in outcome.units[:_MOST_UNITS] if outcome is not None and len(outcome.units) > 1 else ():
        bonus = f" (bonus {n.signed(unit.bonus)})" if unit.bonus else ""
        mark = "  ◂ worst" if unit is worst else ""
        points = context.measured(groups[unit.name]) if unit.name in groups else None
        count = f", {len(points.rows):,} points" if isinstance(points, Measured) else ""
        rows.append((unit.name, f"{n.value(unit.value)}{bonus}{count}{mark}"))
    for feature_id in c.features if len(rows) < 3 else ():
        feature = plan.named(feature_id)
        found = context.measured(feature.group)
        if isinstance(found, Measured):
            left = f", {found.rejected:,} left out" if found.rejected else ""
            rows.append((f"points of {feature.name}", f"{len(found.rows):,}{left}"))
            if len(c.features) == 1 and outcome is None:
                rows.append(("associated by", str(found.fit.criterion).replace("_", " ")))
        elif isinstance(found, Built):
            rows.append((feature.name, "constructed"))
    return rows


def _datums(context: Context, result: Result, n: NumberFormat) -> Pairs:
    c, plan = result.characteristic, context.plan
    if not c.datums:
        kind = kind_named(c.kind)
        if not kind.geometric:
            return []
        if len(c.features) == 2 and kind.to_the_second:
            return [("datum", f"{plan.feature(c.features[1]).name}, without a letter")]
        return [("none", "the zone lies where it fits best")]
    rows = []
    system = _system(context, c)
    for reference in stated_by(context, c).datums:
        names = []
        for letter in reference.letters:
            if letter in {d.letter for d in plan.datums}:
                names += [plan.feature(f).name for f in plan.datum(letter).features]
            else:
                names.append("on no feature yet")
        held = "" if system is None else ", ".join(system.freedoms.held_by(reference.letter))
        rows.append((reference.say(), ", ".join(names)))
        if held:
            rows.append(("holds", held))
    rows.append(("association", f"{_ASSOCIATIONS[plan.datum_association]} (ISO 5459)"))
    outcome = result.outcome
    if system is not None:
        rows.append(("left open", system.freedoms.say_free() or "nothing"))
    if outcome is not None and outcome.bounded:
        rows.append(("shift used", f"{n.value(float((outcome.shift**2).sum() ** 0.5))} {n.unit} within the boundary"))
    return rows


def _worst(result: Result, n: NumberFormat) -> Pairs:
    sketch = None if result.outcome is None else result.outcome.sketch
    if sketch is None:
        return []
    place, offset = sketch.places[sketch.worst], sketch.offsets[sketch.worst]
    rows = [("true place", "  ".join(n.value(float(v)) for v in place))]
    rows.append(("off by", "  ".join(n.signed(float(v)) for v in offset)))
    rows.append(("in length", n.value(float((offset**2).sum() ** 0.5))))
    return rows


def _uncertainty(plan: Plan, result: Result, n: NumberFormat) -> Pairs:
    rule = plan.decision
    rows = []
    if result.uncertainty is None:
        rows.append(("uncertainty", "being worked out" if result.measured is not None else "–"))
    else:
        rows.append(("standard, u", fine(n, result.uncertainty)))
        rows.append((f"expanded, k = {rule.k:g}", f"±{fine(n, rule.k * result.uncertainty)}"))
        width = _width(result)
        if width:
            share = rule.k * result.uncertainty / width
            rows.append(("of the tolerance", f"{share:.0%}" + (" – more than a third" if share > DOMINATES else "")))
    words = "simple acceptance" if rule.rule == "simple" else f"guard band of {rule.k:g} u"
    rows.append(("decision rule", f"{words} (ISO 14253-1)"))
    if plan.device.stated:
        rows.append(("device", plan.device.name or "stated errors"))
    if result.decision:
        rows.append(("decision", result.decision))
    return rows


def _width(result: Result) -> float:
    if result.lower is None and result.upper is None:
        return 0.0
    return abs((result.upper or 0.0) - (result.lower or 0.0))


def fine(n: NumberFormat, value: float) -> str:
    """Return a small value with one digit more than results have."""
    return NumberFormat(n.unit, n.decimals + 1).value(value)
