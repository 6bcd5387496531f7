"""The cells of a tolerance frame, as a drawing has them; painted alike in window, tags and reports."""

from dataclasses import dataclass

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.plan.requirements import SITUATIONS, Characteristic
from truegauge.drawing.units import NumberFormat

_RINGED = ("M", "L", "R", "E", "F", "T", "P", "ST")


@dataclass(frozen=True, slots=True)
class Mark:
    """A piece of a cell: plain text, a letter in a ring, or a glyph by its name."""

    text: str
    ringed: bool = False
    glyph: bool = False


Cell = tuple[Mark, ...]


def has_frame(c: Characteristic) -> bool:
    """Whether a drawing states a characteristic in a frame: form and all geometrical tolerances."""
    return kind_named(c.kind).framed


def frame_cells(c: Characteristic, numbers: NumberFormat) -> tuple[Cell, ...]:
    """Return symbol, value with zone and modifiers, and a cell for each datum."""
    kind = kind_named(c.kind)
    value: list[Mark] = []
    if c.zone.shape in ("cylinder", "sphere") or (not c.zone.shape and kind.round_zone):
        if c.zone.shape == "sphere":
            value.append(Mark("S"))
        value.append(Mark("diameter", glyph=True))
    text = "–" if c.upper is None else numbers.value(c.upper)
    if c.zone.second is not None and c.zone.shape == "rectangle":
        text += f" × {numbers.value(c.zone.second)}"
    if c.zone.end is not None:
        text += f" – {numbers.value(c.zone.end)}"
    if c.zone.per is not None:
        text += f" / {c.zone.per:g}" + (f" × {c.zone.per_second:g}" if c.zone.per_second is not None else "")
    value.append(Mark(text))
    if c.zone.offset:
        value.append(Mark(f" UZ{numbers.signed(c.zone.offset)}"))
    if c.zone.projected is not None:
        value += [Mark("P", ringed=True), Mark(f"{c.zone.projected:g}")]
    form = kind.takes_form  # there T, P, N ... are a reference and a parameter, not in rings
    value += [Mark(m if m in _RINGED and not form else f" {m}", ringed=m in _RINGED and not form) for m in c.modifiers]
    if c.zone.together is not None:
        value.append(Mark(" CZ" if c.zone.together else " SZ"))
    if c.zone.shape == "planes" and c.zone.direction is not None:
        value.append(Mark(f" {_axis_word(c.zone.direction)}"))
    if c.zone.cut:
        value.append(Mark(f" ⟨{'∥' if c.zone.cut == 'parallel' else '⊥'} {c.zone.cut_datum}"))
    cells: list[Cell] = [(Mark(kind.symbol, glyph=True),), tuple(value)]
    for d in c.datums:
        marks = [Mark(d.letter)]
        for m in d.modifiers:
            plain = f"[{m}]" if m in SITUATIONS else m
            marks.append(Mark(plain, ringed=m in _RINGED))
        if d.holds:
            marks.append(Mark("[" + ",".join(_short(h) for h in d.holds) + "]"))
        cells.append(tuple(marks))
    return tuple(cells)


def _short(freedom: str) -> str:
    axis = freedom[-1]
    return axis if freedom.startswith("shift") else f"∠{axis}"


def _axis_word(direction: tuple[float, float, float]) -> str:
    for name, k in zip("XYZ", range(3), strict=True):
        if abs(abs(direction[k]) - 1) < 1e-9:
            return f"↔{name}"
    return "↔"


def frame_text(c: Characteristic, numbers: NumberFormat) -> str:
    """Return a frame in plain text, for readers of the screen and for tables: "position | Ø0.200(M) | A | B"."""
    said = [kind_named(c.kind).label]
    for cell in frame_cells(c, numbers)[1:]:
        said.append("".join("Ø" if m.glyph else f"({m.text})" if m.ringed else m.text for m in cell))
    return " | ".join(said)
