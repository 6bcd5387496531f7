"""Making sections of a blade: where they are, which values of them are characteristics, and with what limits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.authoring.readings import new_id
from truegauge.core.blades.names import FAMILIES, PROFILES, taken_apart
from truegauge.core.blades.told import blade_values, nominals_beside
from truegauge.core.commands.blades import SetBlade
from truegauge.core.nodes.blades import NominalBlade, plainly_asked
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.blades import BladeCheck, BladeSection, BladeValue
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.general import length_tolerance
from truegauge.core.typed_number import typed_number

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan

USUAL_VALUES = ("chord_mean_line", "chord_angle", "leading_radius", "trailing_radius", "max_thickness",
                "profile_min.all.after", "profile_max.all.after", "fit_turn")  # fmt: skip
_FINE = ("leading_", "trailing_", "max_thickness", "thickness", "waviness", "profile", "centroid", "fit_")
_USUAL, _ANGLE = 0.1, np.radians(0.5)  # mm, rad
_MOST_AT_ONCE = 400


def heights_in(text: str, number: Callable[[str], float] = typed_number) -> tuple[float, ...]:
    """Return the heights that a text says: "20, 40, 60", or "10 to 90 by 20", or "9 from 10 to 90"; as `number` reads.

    Raises
    ------
    ValueError
        It says none, in words.
    """
    plain = " ".join(text.lower().replace(";", ",").split())
    if not plain:
        raise ValueError("type heights: 20, 40, 60 - or 10 to 90 by 20 - or 9 from 10 to 90")
    try:
        if " from " in plain and " to " in plain:
            count, _, rest = plain.partition(" from ")
            low, _, high = rest.partition(" to ")
            made = np.linspace(number(low), number(high), int(count)).tolist()
        elif " to " in plain:
            low, _, rest = plain.partition(" to ")
            high, _, step = rest.partition(" by ")
            first, last, by = number(low), number(high), number(step or "10")
            if by == 0 or not 0 <= (last - first) / by <= _MOST_AT_ONCE:
                raise ValueError
            made = [first + by * k for k in range(int((last - first) / by + 1e-9) + 1)]
        else:
            made = [number(cell) for cell in cells_of(plain)]
    except ValueError:
        raise ValueError(f"{text!r} are no heights: type 20, 40, 60 - or 10 to 90 by 20 - or 9 from 10 to 90") from None
    if not 0 < len(made) <= _MOST_AT_ONCE:
        raise ValueError(f"{text!r} are {len(made)} heights: 1 to {_MOST_AT_ONCE} can be made at once")
    return tuple(sorted({round(float(h), 6) for h in made}))


def cells_of(text: str) -> list[str]:
    """Return the numbers of a list as typed: between commas, where there are some ("2 in, 4 in"), or blanks."""
    plain = text.replace(";", ",")
    return [cell.strip() for cell in (plain.split(",") if "," in plain else plain.split()) if cell.strip()]


def new_blade(plan: Plan, model: CadModel) -> BladeCheck:
    """Return a blade that stacks along the longest side of the part's box, the machine axis along the next one."""
    low, high = np.asarray(model.box[0]), np.asarray(model.box[1])
    order = np.argsort(low - high, kind="stable")
    axis, machine = (tuple(float(v) for v in np.eye(3)[k]) for k in order[:2])
    count = len(plan.blades) + 1
    return BladeCheck(id=new_id("blade"), name="blade" if count == 1 else f"blade {count}",
                      axis=(axis[0], axis[1], axis[2]), machine=(machine[0], machine[1], machine[2]))  # fmt: skip


def with_heights(blade: BladeCheck, heights: Sequence[float]) -> BladeCheck:
    """Return a blade with sections at more heights; those that it has stay, with their values.

    New ones get the values that all others have.
    """
    there = {s.height for s in blade.sections}
    common = [v for v in (blade.sections[0].values if blade.sections else ())
              if all(v.what in {w.what for w in s.values} for s in blade.sections)]  # fmt: skip
    new = []
    for h in heights:
        if h not in there:
            values = tuple(v.replace(id=new_id("value")) for v in common)
            new.append(BladeSection(id=new_id("section"), height=h, values=values))
    return blade.replace(sections=tuple(sorted((*blade.sections, *new), key=lambda s: s.height)))


def names_of(blade: BladeCheck) -> tuple[str, ...]:
    """Return the names of all that sections of a blade can tell, as it is set."""
    made = [f for f in FAMILIES if f not in (*PROFILES, "thickness", "leading_thickness", "trailing_thickness")
            and (blade.wavelength or not f.startswith("waviness"))]  # fmt: skip
    made += [f"{edge}_thickness_{d:g}" for d in blade.edge_distances for edge in ("leading", "trailing")]
    made += [f"thickness_{share:g}" for share in blade.chord_shares]
    whats = [w for w in PROFILES if blade.bands or w != "profile_beyond"]
    zones = ("all", "leading", "trailing", "pressure", "suction")
    return (*made, *(f"{w}.{z}.{k}" for k in ("after", "before") for z in zones for w in whats))


def nominals_of(context: Context, blade: BladeCheck, section: BladeSection) -> dict[str, float] | NotComputed:
    """Return the nominals of all that a section tells, mm, mm2 and rad."""
    found = context.get(NominalBlade(blade, section))
    if isinstance(found, NotComputed):
        return found
    asked = plainly_asked(blade, section)
    return blade_values(found, asked) | nominals_beside(asked)


def set_blade(
    context: Context, blade: BladeCheck, whats: Sequence[str] | None = None, label: str = "sections of a blade",
    merge_key: str = "",
) -> SetBlade:  # fmt: skip
    """Return the command that puts a blade into the plan, its values told as characteristics.

    With `whats` every section tells these; without each tells what it does already. What was taken from the nominal
    follows it where that is another now; what was typed stays.
    """
    plan = context.plan
    before = next((b for b in plan.blades if b.id == blade.id), None)
    known = {c.features[0]: c for c in plan.characteristics if len(c.features) == 1}
    sections, added, changed = [], list[Characteristic](), []
    possible = set(names_of(blade))  # what nobody asks for any more goes, with its characteristic
    number = plan.next_number
    for section in blade.sections:
        values = list(section.values)
        if whats is not None:
            own = {v.what: v for v in values}
            values = [own.get(w) or BladeValue(id=new_id("value"), name=taken_apart(w).words, what=w) for w in whats]
        values = [v for v in values if v.what in possible]
        nominals = nominals_of(context, blade, section)
        was = _before(context, before, section)
        for v in values:
            now = 0.0 if isinstance(nominals, NotComputed) else nominals.get(v.what, 0.0)
            now = round(now if np.isfinite(now) else 0.0, 6)
            if v.id not in known:
                added.append(_characteristic(blade, section, v, now, number + len(added)))
            # Where it could not be cut before, 0 stands for a nominal that nobody knew.
            elif known[v.id].nominal == round(was.get(v.what, 0.0), 6) != now:
                changed.append((known[v.id].id, now))
        sections.append(section.replace(values=tuple(values)))
    made = blade.replace(sections=tuple(sections))
    return SetBlade(made, label, tuple(added), tuple(changed), merge_key)


def _before(context: Context, before: BladeCheck | None, section: BladeSection) -> dict[str, float]:
    own = None if before is None else next((s for s in before.sections if s.id == section.id), None)
    if before is None or own is None or not own.values:
        return {}
    found = nominals_of(context, before, own)
    return {} if isinstance(found, NotComputed) else {k: v for k, v in found.items() if np.isfinite(v)}


def _characteristic(
    blade: BladeCheck, section: BladeSection, value: BladeValue, nominal: float, number: int
) -> Characteristic:
    name = taken_apart(value.what)
    t = _tolerance(value.what, nominal)
    lower: float | None = -t
    upper: float | None = t
    if name.family == "profile_beyond":
        lower, upper = None, 0.0
    elif name.family == "profile_form" or name.family.startswith("waviness"):
        lower = None
    elif name.family in ("profile_min", "profile_max") and name.zone != "all":
        band = next((b for b in blade.bands if b.zone == name.zone), None)
        lower, upper = (lower, upper) if band is None else (band.lower, band.upper)
    return Characteristic(
        id=new_id("c"), number=number, name=f"{section.height:g} mm: {value.name}", kind=f"blade_{name.family}",
        features=(value.id,), nominal=nominal, lower=lower, upper=upper,
    )  # fmt: skip


def _tolerance(what: str, nominal: float) -> float:
    family = taken_apart(what).family
    if family in ("chord_angle", "fit_turn"):
        return float(_ANGLE)
    if family == "area":
        return round(0.02 * abs(nominal), 3) or _USUAL
    return _USUAL if family.startswith(_FINE) else length_tolerance(abs(nominal))
