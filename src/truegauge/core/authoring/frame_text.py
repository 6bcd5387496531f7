"""The cells of a tolerance frame as text that can be typed: "A-B(M)", "M R P30", and what makes no sense."""

import re
from collections.abc import Sequence

from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.kind import Kind
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.constructions.parts import axis_of, place_of, plane_of
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import ORIENTS, Characteristic, DatumReference
from truegauge.core.tolerancing.form import PARAMETERS, REFERENCES
from truegauge.core.tolerancing.request import are_opposite, has_size
from truegauge.core.tolerancing.size_rule import DEFINITIONS, INDEPENDENT, LETTERS
from truegauge.core.tolerancing.zone import MATERIAL, MODIFIERS, Zone

_DATUM = re.compile(r"^([A-Za-z]{1,2}(?:\s*-\s*[A-Za-z]{1,2})*)\s*(.*)$")
TOGETHER, APART = "CZ", "SZ"
CUTS = {"parallel": "∥", "perpendicular": "⊥"}


def parse_datum(text: str) -> DatumReference | None:
    """Return the datum that a cell names; None for an empty one.

    Letters, then "(M)" or "(L)", "><" (only orients), and in brackets the freedoms it may take: "[turn z, x]".

    Raises
    ------
    ValueError
        What is not understood, in words.
    """
    text = text.strip()
    if not text:
        return None
    found = _DATUM.match(text)
    if not found:
        raise ValueError(f"{text!r} is no datum: type a letter, several joined by hyphens for a common datum")
    letters = "-".join(x.strip().upper() for x in found.group(1).split("-"))
    rest, modifiers, holds = found.group(2), [], []
    while rest := rest.strip():
        if rest.startswith(ORIENTS):
            modifiers.append(ORIENTS)
            rest = rest[2:]
        elif element := re.match(r"^\[(PL|SL|PT)\]", rest, re.IGNORECASE):
            modifiers.append(element.group(1).upper())
            rest = rest[element.end() :]
        elif mark := re.match(r"^(?:\(([MLml])\)|([MLml])(?![A-Za-z]))", rest):
            modifiers.append((mark.group(1) or mark.group(2)).upper())
            rest = rest[mark.end() :]
        elif held := re.match(r"^\[([^\]]*)\]", rest):
            holds += [_freedom(x) for x in held.group(1).split(",")]
            rest = rest[held.end() :]
        else:
            raise ValueError(
                f"{rest!r} after datum {letters} is not understood: use (M), (L), ><, [PL], [SL], [PT] or [turn z, x]"
            )
    return DatumReference(letter=letters, modifiers=tuple(dict.fromkeys(modifiers)), holds=tuple(holds))


def _freedom(text: str) -> str:
    words = text.strip().lower().split()
    if len(words) == 1 and words[0] in "xyz":
        return f"shift along {words[0]}"
    if len(words) == 2 and words[0] == "turn" and words[1] in "xyz":
        return f"turn about {words[1]}"
    raise ValueError(f"{text.strip()!r} is no freedom: x, y, z are shifts, turn x, turn y, turn z are turns")


def modifiers_text(c: Characteristic) -> str:
    """Return the modifiers after the value as they are typed."""
    at = f"{c.zone.at:+g}" if c.zone.at else ""
    parts = [f"{m}{at}" if m == "SCS" else m for m in c.modifiers]
    if c.zone.cut:
        parts.append(f"{CUTS[c.zone.cut]}{c.zone.cut_datum}")
    if c.zone.projected is not None:
        parts.append(f"P{c.zone.projected:g}")
    if c.zone.offset:
        parts.append(f"UZ{c.zone.offset:+g}")
    if c.zone.together is not None:
        parts.append(TOGETHER if c.zone.together else APART)
    if c.zone.end is not None:
        parts.append(f"-{c.zone.end:g}")
    return " ".join(parts)


def parse_modifiers(text: str, zone: Zone) -> tuple[tuple[str, ...], Zone]:
    """Return modifier letters and the zone with what the cell says: "M R P30 UZ+0.05 CZ -0.3" (a zone that varies).

    Raises
    ------
    ValueError
        A word that is none of these.
    """
    letters: list[str] = []
    projected, offset, together, end, at, cut, cut_datum = None, 0.0, None, None, None, "", ""
    for word in text.replace(",", ".").split():
        up = word.upper()
        if up in MODIFIERS or up in LETTERS or up in REFERENCES or up in PARAMETERS:
            letters.append(up)
        elif number := re.match(r"^SCS([+-]\d+(?:\.\d+)?)$", up):
            letters.append("SCS")
            at = float(number.group(1))
        elif plane := re.match(r"^(//|∥|_\|_|⟂|⊥)([A-Z]{1,2})$", up):
            cut, cut_datum = ("parallel" if plane.group(1) in ("//", "∥") else "perpendicular"), plane.group(2)
        elif up in (TOGETHER, "UF", "SIM"):
            together = True
        elif up == APART:
            together = False
        elif number := re.match(r"^P(\d+(?:\.\d+)?)$", up):
            projected = float(number.group(1))
        elif number := re.match(r"^UZ([+-]?\d+(?:\.\d+)?)$", up):
            offset = float(number.group(1))
        elif number := re.match(r"^-(\d+(?:\.\d+)?)$", up):
            end = float(number.group(1))
        else:
            known = ", ".join(MODIFIERS)
            raise ValueError(
                f"{word!r} is no modifier: use {known}, P30 (projected), UZ+0.05, CZ, SZ, ∥B or ⊥B (intersection "
                f"plane); of a size {', '.join(LETTERS)}; of a form C G N X and P V T Q"
            )
    changes = {"projected": projected, "offset": offset, "together": together, "end": end, "at": at, "cut": cut,
               "cut_datum": cut_datum}  # fmt: skip
    return tuple(dict.fromkeys(letters)), zone.replace(**changes)


def frame_problems(plan: Plan, c: Characteristic, nominals: Sequence[Nominal]) -> list[str]:
    """Return why a frame makes no sense, each in words with what to do; nothing when it does."""
    kind = kind_named(c.kind)
    label = kind.label
    letters = [x for d in c.datums for x in d.letters]
    said: list[str] = []
    if not kind.takes_datums and c.datums:
        said.append(f"{label} compares a feature with itself: it has no datums. Use an orientation or a profile.")
    if kind.needs_datum and not c.datums and not (kind.to_the_second and len(c.features) == 2):
        said.append(f"{label} needs a datum: type a letter into the first datum cell.")
    doubled = sorted({x for x in letters if letters.count(x) > 1})
    if doubled:
        said.append(f"datum {doubled[0]} stands in the frame twice: what it holds is held already.")
    if c.zone.cut and not plan.has_datum(c.zone.cut_datum):
        said.append(f"the intersection plane names datum {c.zone.cut_datum}, which is on no feature of the plan.")
    for datum in plan.datums:
        if datum.letter in letters and set(datum.features) & set(c.features):
            said.append(f"datum {datum.letter} is the toleranced feature itself.")
    said += _modifier_problems(c, kind, nominals)
    said += _zone_problems(c, kind, nominals)
    return said + kind.problems(plan, c, nominals)


def _modifier_problems(c: Characteristic, kind: Kind, nominals: Sequence[Nominal]) -> list[str]:
    said, label = [], kind.label
    material = [m for m in c.modifiers if m in MATERIAL]
    if len(material) == 2:
        said.append("M and L contradict each other: a feature is judged at one of the two.")
    if material and not kind.takes_material:
        said.append(f"{label} cannot be at {MODIFIERS[material[0]].split()[0]} material: it is not tied to a size.")
    elif material and nominals and not _of_size(nominals):
        said.append(f"{material[0]} needs a feature of size: a cylinder, a sphere, or two opposite planes.")
    if "R" in c.modifiers and not material:
        said.append("R (reciprocity) goes with M or L: it gives what they leave unused back to the size.")
    if "T" in c.modifiers and not kind.takes_form and not (kind.orients and _planes(nominals)):
        said.append("T (tangent plane) is for the orientation of a plane.")
    said += _size_problems(c, kind)
    said += _form_problems(c, kind)
    if "OZ" in c.modifiers and not kind.is_profile:
        said.append(f"OZ (offset not stated) is for profiles, not for {label}.")
    if c.zone.projected is not None and material:
        said.append("a projected zone is judged by the axis, not at a material limit: take off one of the two.")
    if c.zone.projected is not None and not _axes(nominals):
        said.append("a projected zone (P) needs an axis.")
    return said


def _size_problems(c: Characteristic, kind: Kind) -> list[str]:
    sized = [m for m in c.modifiers if m in LETTERS and not (kind.takes_form and m in REFERENCES)]
    if not sized:
        return []
    if kind.takes_envelope and sized == ["E"]:
        return []
    if not kind.has_size:
        return [f"{sized[0]} is for a size, not for {kind.label}."]
    said = []
    how = [m for m in sized if m in DEFINITIONS]
    if len(how) > 1 or (how and not kind.takes_definition and "ACS" not in sized):
        said.append(f"{how[-1]}: a size has one definition; take off the others.")
    if "E" in sized and how and how != ["LP"]:
        said.append(f"E (envelope) is made of two-point and mating size: take off {how[0]}.")
    if "E" in sized and INDEPENDENT in sized:
        said.append("E and I contradict each other: with the envelope, or independent of it.")
    if "ACS" in sized and "SCS" in sized:
        said.append("ACS and SCS contradict each other: any cross section, or a specific one.")
    if not kind.takes_sections and ({"ACS", "SCS", "CC", "CA", "CV", "LS"} & set(sized)):
        said.append("cross sections and their sizes are for cylinders; of a width use LP, GG, GN, GX or E.")
    return said


def _form_problems(c: Characteristic, kind: Kind) -> list[str]:
    said, label = [], kind.label
    words = [m for m in c.modifiers if (m in REFERENCES or m in PARAMETERS) and m not in MODIFIERS]
    if words and not kind.takes_form:
        said.append(f"{words[0]} (how form is read) is for form tolerances, not for {label}.")
    for known in (REFERENCES, PARAMETERS):
        if sum(m in known for m in c.modifiers) > 1:
            said.append(f"one of {', '.join(known)}: take off the others.")
    if c.zone.per is not None and not kind.takes_unit:
        said.append(f"a unit length or area is for straightness and flatness, not for {label}.")
    if c.zone.per_second is not None and kind.takes_unit == 1:
        said.append("straightness has a unit length, not an area: type 0.02/100.")
    if c.zone.cut and not kind.takes_lines:
        said.append(
            f"an intersection plane cuts a surface into lines: for straightness and profile of a line, not for {label}."
        )
    return said


def _zone_problems(c: Characteristic, kind: Kind, nominals: Sequence[Nominal]) -> list[str]:
    said, label = [], kind.label
    if (c.zone.offset or c.zone.end is not None) and not kind.is_profile:
        said.append(f"an uneven zone (UZ) or one that varies is for profiles, not for {label}.")
    if c.zone.end is not None and c.zone.direction is None:
        said.append("a zone that varies needs a direction: choose along X, Y or Z.")
    if c.zone.shape == "sphere" and nominals and any(place_of(n.feature) is None for n in nominals):
        said.append("a spherical zone is for a centre: of a sphere or a point.")
    if c.zone.shape == "cylinder" and (kind.is_profile or (nominals and _planes(nominals))):
        said.append("a cylindrical zone holds an axis or a centre, not a surface.")
    if c.zone.shape in ("planes", "rectangle") and c.zone.direction is None and nominals and not _planes(nominals):
        said.append("a zone between planes needs a direction: choose along X, Y or Z.")
    if c.zone.shape == "rectangle" and c.zone.second is None:
        said.append("a rectangular zone needs its second width: type 0.2x0.1.")
    return said


def _of_size(nominals: Sequence[Nominal]) -> bool:
    if all(has_size(n.feature) for n in nominals):
        return True
    pairs = list(zip(nominals[::2], nominals[1::2], strict=False))
    return len(nominals) % 2 == 0 and all(are_opposite(a.feature, b.feature) for a, b in pairs)


def _planes(nominals: Sequence[Nominal]) -> bool:
    return bool(nominals) and all(plane_of(n.feature) is not None for n in nominals)


def _axes(nominals: Sequence[Nominal]) -> bool:
    return all(axis_of(n.feature) is not None for n in nominals)
