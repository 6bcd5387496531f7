"""Characteristics and datums as tolerances, and back: what the words of the standard say, no more."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from truegauge.core.association.features import Shape
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.zone import PLAIN, Zone
from truegauge.formats.dmis.statements import NotUnderstood, Statement, number_text

FORMS = {"flatness": "FLAT", "straightness": "STRGHT", "roundness": "CIRLTY", "cylindricity": "CYLCTY"}
IN_SYSTEM = {"perpendicularity": "PERP", "parallelism": "PARLEL", "angularity": "ANGLR", "coaxiality": "CONCEN",
             "symmetry": "SYM", "circular_runout": "CRNOUT", "total_runout": "TRNOUT"}  # fmt: skip
ORIENTED = ("perpendicularity", "parallelism", "angularity")
PROFILES = {"profile_surface": "PROFS", "profile_line": "PROFL"}
SIZES = {"diameter": "DIAM", "radius": "RAD", "width": "WIDTH", "cone_angle": "ANGL"}
APART = {"distance": "PT2PT", "distance_x": "XAXIS", "distance_y": "YAXIS", "distance_z": "ZAXIS"}
COORDINATES = {"coordinate_x": "XAXIS", "coordinate_y": "YAXIS", "coordinate_z": "ZAXIS"}
_ANGLES = ("ANGL", "ANGLB")
_MATERIAL = {"M": "MMC", "L": "LMC", "": "RFS"}
_FLAT, _SPATIAL = "2D", "3D"  # positions of axes and planes; of points, whose zone is a sphere


@dataclass(frozen=True, slots=True)
class Required:
    """What a tolerance says: kind, limits as deviations (mm, rad), datums, material, and the nominal where it does."""

    kind: str
    lower: float | None
    upper: float | None
    nominal: float | None = None
    datums: tuple[DatumReference, ...] = ()
    material: str = ""
    offset: float = 0.0  # of the middle of a profile zone out of the material
    spatial: bool = False  # a position in a sphere

    @staticmethod
    def of(c: Characteristic) -> Required:
        """Return as much of a characteristic as a tolerance can say."""
        says = c.kind in APART or c.kind == "angle"
        datums = tuple(DatumReference(letter=d.letter, modifiers=tuple(m for m in d.modifiers if m in ("M", "L")))
                       for d in c.datums)  # fmt: skip
        material = next((m for m in c.modifiers if m in ("M", "L")), "")
        spatial = c.kind == "position" and c.zone.shape == "sphere"
        return Required(c.kind, c.lower, c.upper, c.nominal if says else None, datums, material, c.zone.offset, spatial)

    def onto(self, c: Characteristic) -> Characteristic:
        """Return a characteristic with what the tolerance says in the place of what it said."""
        own = {d.letter: d for d in c.datums}
        mine = Required.of(c)
        same = {d.letter: d.modifiers for d in mine.datums}
        datums = tuple(own[d.letter] if same.get(d.letter) == d.modifiers else d for d in self.datums)
        modifiers = c.modifiers
        if self.material != mine.material:
            others = tuple(m for m in modifiers if m not in ("M", "L"))
            modifiers = (self.material, *others) if self.material else others
        zone = (
            c.zone if self.spatial == mine.spatial else c.zone.replace(shape="sphere" if self.spatial else "cylinder")
        )
        zone = zone.replace(offset=self.offset)
        nominal = c.nominal if self.nominal is None else self.nominal
        return c.replace(kind=self.kind, lower=self.lower, upper=self.upper, nominal=nominal, datums=datums,
                         modifiers=modifiers, zone=zone, warn_lower=None, warn_upper=None, fit="")  # fmt: skip


def tolerance(label: str, c: Characteristic) -> Statement | None:
    """Return the tolerance of a characteristic; None where the standard has no word for what it requires."""
    own = Required.of(c)
    if c.basic or not _zone_is_usual(c):
        return None
    words = _words(own)
    return None if words is None else Statement("TOL", words, "T", label)


def unsaid(c: Characteristic) -> str:
    """Return what the tolerance of a characteristic leaves out of it, in words; empty where it says all."""
    found = [m for m in c.modifiers if m not in ("M", "L")]
    found += [
        f"{d.letter} {' '.join(more)}" for d in c.datums if (more := [m for m in d.modifiers if m not in ("M", "L")])
    ]
    found += [f"what {d.letter} holds" for d in c.datums if d.holds]
    if c.alignment or (c.kind in COORDINATES and c.datums):
        found.append("the frame that it is told in")
    if c.tier_of:
        found.append("that it is a lower tier")
    if c.simultaneous:
        found.append("what it is simultaneous with")
    if c.kind in ORIENTED and c.zone.shape:
        found.append("its round zone")
    return ", ".join(found)


def _zone_is_usual(c: Characteristic) -> bool:
    """Tell whether a zone is round or as usual: others (between planes, rectangles, projected, ...) have no words."""
    zone = c.zone.replace(shape="") if c.zone.shape in ("cylinder", "sphere") else c.zone
    return (zone.replace(offset=0.0) if c.kind in PROFILES else zone) == PLAIN


def _words(r: Required) -> tuple[str, ...] | None:
    if r.kind in FORMS:
        return None if r.upper is None else (FORMS[r.kind], number_text(r.upper))
    if r.kind in IN_SYSTEM or r.kind == "position":
        if r.upper is None or (
            not r.datums and r.kind in ("coaxiality", "symmetry", "circular_runout", "total_runout")
        ):
            return None
        first = ("POS", _SPATIAL if r.spatial else _FLAT) if r.kind == "position" else (IN_SYSTEM[r.kind],)
        material = (_MATERIAL[r.material],) if r.material or r.kind == "position" else ()
        return (*first, number_text(r.upper), *material, *_datums(r))
    if r.kind in PROFILES:
        # How far inside and outside of the true profile.
        return None if r.upper is None else (
            PROFILES[r.kind], number_text(r.offset - r.upper / 2), number_text(r.offset + r.upper / 2), *_datums(r)
        )  # fmt: skip
    if r.lower is None or r.upper is None:
        return None
    word = SIZES.get(r.kind, "")
    for kinds, other in ((APART, "DISTB"), (("angle",), "ANGLB"), (COORDINATES, "CORTOL")):
        word = other if r.kind in kinds else word
    if not word:
        return None
    of = np.degrees if word in _ANGLES else float
    limits = (number_text(of(r.lower)), number_text(of(r.upper)))
    match word:
        case "DISTB":
            return (word, "NOMINL", number_text(r.nominal or 0.0), *limits, APART[r.kind])
        case "ANGLB":
            return (word, "NOMINL", number_text(of(r.nominal or 0.0)), *limits)
        case "CORTOL":
            return (word, COORDINATES[r.kind], *limits)
    return (word, *limits)


def _datums(r: Required) -> tuple[str, ...]:
    found = list[str]()
    for d in r.datums:
        found.append(f"DAT({d.letter})")
        found.append(_MATERIAL[d.material])
    return tuple(found)


def required(s: Statement, scale: float, degrees: float) -> Required:
    """Return what a tolerance says; `scale` and `degrees` are its units in mm and in degrees.

    Raises
    ------
    NotUnderstood
        A tolerance that no characteristic is of, or numbers that are missing.
    """
    word = s.at(0)

    def kinds(table: dict[str, str]) -> str:
        return next((kind for kind, w in table.items() if w == word), "")

    if kind := kinds(FORMS):
        return _checked(s, 2, Required(kind, None, s.number(1) * scale))
    if word == "POS" or (kind := kinds(IN_SYSTEM)):
        k = 1
        if word == "POS":
            if s.at(1) not in (_FLAT, _SPATIAL):
                raise NotUnderstood("2D or 3D is missing")
            k, kind = 2, "position"
        upper, k = s.number(k) * scale, k + 1
        material = ""
        if s.at(k) in _MATERIAL.values():
            material, k = _letter(s.at(k)), k + 1
        return Required(kind, None, upper, None, _system(s, k), material, spatial=word == "POS" and s.at(1) == _SPATIAL)
    if kind := kinds(PROFILES):
        low, high = (v * scale for v in s.numbers(1, 2))
        if low >= high:
            raise NotUnderstood("its lower limit is not below the upper one")
        middle = (low + high) / 2
        return Required(kind, None, high - low, None, _system(s, 3), offset=0.0 if abs(middle) < 1e-12 else middle)
    if kind := kinds(SIZES):
        return _checked(s, 3, _limits(kind, s, 1, scale, degrees if word in _ANGLES else 0.0))
    if word in ("DISTB", "ANGLB"):
        kind = next((k for k, w in APART.items() if w == (s.at(5) or "PT2PT")), "") if word == "DISTB" else "angle"
        if s.at(1) != "NOMINL" or not kind:
            raise NotUnderstood("only NOMINL, and PT2PT or an axis of distances, are read")
        of = float(np.radians(degrees)) if word in _ANGLES else scale
        own = _limits(kind, s, 3, scale, degrees if word in _ANGLES else 0.0)
        return Required(kind, own.lower, own.upper, s.number(2) * of)
    if word == "CORTOL" and s.at(1) in COORDINATES.values():
        kind = next(k for k, w in COORDINATES.items() if w == s.at(1))
        return _checked(s, 4, _limits(kind, s, 2, scale, 0.0))
    raise NotUnderstood(f"a tolerance {word} is not read")


def _limits(kind: str, s: Statement, k: int, scale: float, degrees: float) -> Required:
    of = float(np.radians(degrees)) if degrees else scale
    low, high = (v * of for v in s.numbers(k, 2))
    if low > high:
        raise NotUnderstood("its lower limit lies above the upper one")
    return Required(kind, low, high)


def _checked(s: Statement, count: int, found: Required) -> Required:
    """Refuse more parameters than are read: what they say would be lost without a word."""
    if len(s.parameters) > count:
        raise NotUnderstood(f"{','.join(s.parameters[count:])} is not read")
    return found


def _letter(word: str) -> str:
    return next(m for m, w in _MATERIAL.items() if w == word)


def _system(s: Statement, k: int) -> tuple[DatumReference, ...]:
    found = list[DatumReference]()
    for p in s.parameters[k:]:
        if p.upper() in _MATERIAL.values() and found:
            m = _letter(p.upper())
            found[-1] = found[-1].replace(modifiers=(m,) if m else ())
        elif p.upper().startswith("DAT(") and p.endswith(")"):
            try:
                found.append(DatumReference(letter=p[4:-1]))
            except ValueError:
                raise NotUnderstood(f"{p} is no datum") from None
        else:
            raise NotUnderstood(f"{p} is not read")
    return tuple(found)


def new_characteristic(
    r: Required, number: int, name: str, features: tuple[str, ...], nominals: tuple[Nominal, ...],
    datums: tuple[Nominal, ...] = (),
) -> Characteristic:  # fmt: skip
    """Return the characteristic of a tolerance on features (ids) that a file by hand requires; `datums` are to which.

    Raises
    ------
    NotUnderstood
        It is not of such features.
    """
    kind = kind_named(r.kind)
    fits = kind.fits(nominals) or kind.fits((*nominals, *datums[:1]))
    if len(nominals) != len(features) or not (fits or (kind.takes_pattern and all(kind.fits((n,)) for n in nominals))):
        raise NotUnderstood(f"{kind.label} is not of such features")
    nominal = kind.nominal(nominals) if r.nominal is None else r.nominal
    spheres = all(n.shape == Shape.SPHERE for n in nominals)
    if r.kind == "position" and r.spatial != spheres:
        raise NotUnderstood("3D is for spheres, 2D for all others")
    zone = Zone(offset=r.offset)
    if r.kind == "position" and not any(n.shape == Shape.PLANE for n in nominals):
        zone = Zone(shape="sphere" if spheres else "cylinder")
    return Characteristic(id=f"dmis-{number}", number=number, name=name, kind=r.kind, features=features, zone=zone,
                          nominal=nominal, lower=r.lower, upper=r.upper, datums=r.datums,
                          modifiers=(r.material,) if r.material else ())  # fmt: skip
