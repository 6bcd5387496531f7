"""What goes with what in a plan: features, what is built from them, what is required of them, tags, touching."""

from typing import Any

from truegauge.core import references
from truegauge.core.plan.document import Plan
from truegauge.core.routes.document import MeasureStep, step_id

# What is referred to by its id stands in these fields of a plan.
_FEATURES = ("features", "constructed", "spots", "compared")
_CHARACTERISTICS = ("characteristics",)


def _with_ids(plan: Plan, fields: tuple[str, ...]) -> list[Any]:
    return [model for field in fields for model in getattr(plan, field)]


def without_features(plan: Plan, gone: frozenset[str]) -> Plan:
    """Return a plan without some features (or spot checks, points), and without all that cannot be without them."""
    features = set(gone)
    while True:
        going = {
            m.id for m in _with_ids(plan, _FEATURES)
            if m.id not in features and references.without(m, "feature", frozenset(features)) is None
        }  # fmt: skip
        if not going:
            break
        features |= going
    lost = frozenset(features)
    characteristics = frozenset(
        c.id for c in plan.characteristics if references.without(c, "feature", lost) is None
    )  # fmt: skip
    return _without(_without(plan, "feature", _FEATURES, lost), "characteristic", _CHARACTERISTICS, characteristics)


def without_characteristics(plan: Plan, gone: frozenset[str]) -> Plan:
    """Return a plan without some characteristics, and without what was read only for them."""
    changed = _without(plan, "characteristic", _CHARACTERISTICS, gone)
    had = {f for c in plan.characteristics for f in c.features}
    has = {f for c in changed.characteristics for f in c.features}
    unread = {r.id for r in plan.readings if r.id in had and r.id not in has}
    if not unread:
        return changed
    return changed.replace(
        spots=tuple(s for s in changed.spots if s.id not in unread),
        sections=tuple(
            s.replace(dimensions=tuple(d for d in s.dimensions if d.id not in unread)) for s in changed.sections
        ),
        compared=tuple(p for p in changed.compared if p.id not in unread),
        blades=tuple(
            b.replace(sections=tuple(
                s.replace(values=tuple(v for v in s.values if v.id not in unread)) for s in b.sections
            )) for b in changed.blades
        ),
        silhouette=None if changed.silhouette is None else changed.silhouette.replace(
            sizes=tuple(s for s in changed.silhouette.sizes if s.id not in unread)
        ),
    )  # fmt: skip


def with_faces_as_now(plan: Plan, new_of: dict[int, int]) -> Plan:
    """Return a plan with the faces of a revision of its part: features keep what is found again."""
    changed = references.renumbered(plan, new_of)
    assert changed is not None
    return changed


def with_steps_of_new_features(before: Plan, after: Plan) -> Plan:
    """Return a changed plan whose route, where it has one, measures its new features too: at the end."""
    if not after.route.steps or after.features is before.features:
        return after
    known = {f.id for f in before.features}
    known |= {s.feature for s in after.route.steps if isinstance(s, MeasureStep)}
    new = tuple(MeasureStep(id=step_id(f.id), feature=f.id) for f in after.features if f.id not in known)
    return after.replace(route=after.route.replace(steps=(*after.route.steps, *new))) if new else after


def _without(plan: Plan, what: references.What, defined: tuple[str, ...], gone: frozenset[str]) -> Plan:
    """Return a plan without what has these ids, and without references to it; changed at once, as it must be whole."""
    if not gone:
        return plan
    changes = references.changes_without(plan, what, gone)
    assert changes is not None
    for field in defined:
        models = changes.get(field, getattr(plan, field))
        changes[field] = tuple(m for m in models if m.id not in gone)
    return plan.replace(**changes)
