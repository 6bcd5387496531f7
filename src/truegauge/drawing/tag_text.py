"""Which results have a tag, and what it says: the same in window and report."""

from collections.abc import Iterator
from dataclasses import dataclass

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Evaluation, Result
from truegauge.core.plan.views import TagSettings
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import has_frame
from truegauge.drawing.size_text import size_text
from truegauge.drawing.units import NumberFormat, limits_text

_RANK = {State.OUTSIDE: 1, State.NEAR: 2, State.UNDECIDED: 3, State.WITHIN: 4,
         State.NOT_MEASURED: 5}  # fmt: skip
MOST_NEEDED = 8


@dataclass(frozen=True, slots=True)
class TagText:
    """The lines of a tag: number and name, the value (the largest) with what stands beside it, and more lines."""

    title: str
    value: str
    detail: str
    lines: tuple[str, ...]
    framed: bool
    gauge: bool


@dataclass(frozen=True, slots=True)
class SmallText:
    """What a small tag says."""

    number: str
    value: str


def small_text(result: Result, lengths: NumberFormat) -> SmallText:
    """Return the number and the value of a result: what there is room for beside a part that fills the view."""
    numbers = lengths.of(result.characteristic.kind)
    value = "–" if result.measured is None else numbers.value(result.measured)
    return SmallText(str(result.characteristic.number), value)


def tagged_results(evaluation: Evaluation, tags: TagSettings, selected: str = "") -> list[Result]:
    """Return the results with a tag, the most important first: the selected one, then by state."""
    hidden, listed = set(tags.hidden), set(tags.listed)

    def wanted(r: Result) -> bool:
        c = r.characteristic.id
        if c == selected:
            return True
        if c in hidden:
            return False
        return {
            "needed": r.state in (State.OUTSIDE, State.NEAR, State.UNDECIDED), "all": True,
            "outside": r.state == State.OUTSIDE,
            "listed": c in listed, "none": False,
        }[tags.shown]  # fmt: skip

    chosen = [r for r in evaluation.results if wanted(r)]
    chosen.sort(key=lambda r: (r.characteristic.id != selected, _RANK[r.state]))
    return chosen[:MOST_NEEDED] if tags.shown == "needed" else chosen


def tag_text(
    result: Result, tags: TagSettings, lengths: NumberFormat, delta: tuple[float, float, float] | None = None
) -> TagText:
    """Return what the tag of a result says; `delta` mm are the differences of a compared point."""
    c, numbers = result.characteristic, lengths.of(result.characteristic.kind)
    parts: set[str] = set(tags.parts)
    title = "  ".join(x for x in (str(c.number) if "number" in parts else "", c.name if "name" in parts else "") if x)
    value = detail = ""
    if "measured" in parts:
        value = "not measured" if result.measured is None else numbers.value(result.measured)
    kind = kind_named(c.kind)
    if result.measured is not None and result.deviation is not None and "deviation" in parts:
        one_sided = kind.one_sided and result.upper is not None
        said = f"of {numbers.value(result.upper or 0)}" if one_sided else numbers.signed(result.deviation)
        if not value and one_sided:
            value, detail = numbers.value(result.measured), said
        elif not value:
            value = said
        elif not kind.reading or c.nominal:  # of a deviation it would say the same twice
            detail = said
    return TagText(
        title, value, detail, tuple(_lines(result, parts, numbers, lengths, delta)),
        "frame" in parts and has_frame(c), "gauge" in parts,
    )  # fmt: skip


def _lines(
    result: Result, parts: set[str], numbers: NumberFormat, lengths: NumberFormat,
    delta: tuple[float, float, float] | None,
) -> Iterator[str]:  # fmt: skip
    c = result.characteristic
    if result.definition and ("limits" in parts or "measured" in parts):
        yield size_text(result, numbers)  # what a size is belongs to its number
    elif "limits" in parts:
        yield limits_text(numbers, c.nominal, result.lower, result.upper)
    if delta is not None:
        chosen = [f"d{axis} {lengths.signed(v)}" for axis, v in zip("xyz", delta, strict=True) if f"d{axis}" in parts]
        if chosen:
            yield "  ".join(chosen)
        if "total" in parts:
            yield f"distance {lengths.value(sum(v * v for v in delta) ** 0.5)}"
    if result.warning:
        yield result.warning
