"""Which characteristics the ledger shows, in which order, under which headings."""

from dataclasses import dataclass

from truegauge.core.characteristics.registry import KINDS, kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_text, has_frame
from truegauge.drawing.units import NumberFormat

GROUPS = {"": "by number", "kind": "by kind", "feature": "by feature", "state": "by state", "zone": "by drawing zone"}
_STATES = {
    State.OUTSIDE: "outside", State.NEAR: "near a limit", State.UNDECIDED: "not decided yet",
    State.NOT_MEASURED: "not measured", State.WITHIN: "within",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Order:
    """How the ledger is grouped, what is searched for, and whether only what is outside is shown."""

    group: str = ""
    search: str = ""
    outside_only: bool = False


Row = Characteristic | str  # a heading is a text


def arranged(plan: Plan, results: dict[str, Result], order: Order) -> tuple[Row, ...]:
    """Return the rows of the ledger: characteristics by number, with headings where they are grouped."""
    chosen = [c for c in plan.characteristics if _shown(plan, c, results.get(c.id), order)]
    chosen.sort(key=lambda c: c.number)
    if not order.group:
        return tuple(chosen)
    rows: list[Row] = []
    heading = ""
    for key, c in sorted(((_key(plan, c, results.get(c.id), order.group), c) for c in chosen),
                         key=lambda kc: (kc[0], kc[1].number)):  # fmt: skip
        if key[1] != heading:
            heading = key[1]
            rows.append(heading)
        rows.append(c)
    return tuple(rows)


def _shown(plan: Plan, c: Characteristic, result: Result | None, order: Order) -> bool:
    if order.outside_only and (result is None or result.state != State.OUTSIDE):
        return False
    words = order.search.lower().split()
    if not words:
        return True
    said = [str(c.number), c.name, c.kind, c.system_text, c.sheet_zone, kind_named(c.kind).label]
    said += [plan.named(f).name for f in c.features]
    if has_frame(c):
        said.append(frame_text(c, NumberFormat(plan.unit, plan.decimals)))
    text = " ".join(said).lower()
    return all(w in text for w in words)


def _key(plan: Plan, c: Characteristic, result: Result | None, group: str) -> tuple[int, str]:
    if group == "kind":
        return (list(KINDS).index(c.kind) if c.kind in KINDS else 999, kind_named(c.kind).label)
    if group == "feature":
        ids = [f.id for f in plan.all_features]
        return ids.index(c.features[0]), plan.named(c.features[0]).name
    if group == "state":
        state = result.state if result is not None else State.NOT_MEASURED
        return list(_STATES).index(state), _STATES[state]
    return (0, f"zone {c.sheet_zone}") if c.sheet_zone else (1, "no drawing zone")
