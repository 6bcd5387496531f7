"""A plan from a program: onto a part. What is not understood is kept in the plan, and told with its line."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
from pydantic import ValidationError

from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import FormatError, GeometryError
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.probing.probing import Probing
from truegauge.formats.dmis import defined, required, touched
from truegauge.formats.dmis.own_lines import Own, OwnReader
from truegauge.formats.dmis.program import MOST_TEXT, Noted, Program, model_of
from truegauge.formats.dmis.statements import Broken, NotUnderstood, Statement, Within, read_lines, statement, unquoted
from truegauge.formats.dmis.writing import USUAL
from truegauge.formats.files import read_bytes
from truegauge.formats.plan_file import plain

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel

ENDING = ".dmi"
_MOST = 64 << 20  # bytes
_MM = {"MM": 1.0, "CM": 10.0, "M": 1000.0, "INCH": 25.4}
_DEGREES = {"ANGDEC": 1.0, "ANGRAD": float(np.degrees(1.0))}
_MM_PER_S = {"MMPS": 1.0, "MPM": 1000 / 60, "IPM": 25.4 / 60, "IPS": 25.4}
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class ReadProgram:
    """What came of a program: the plan, and what is to be known of its lines."""

    plan: Plan
    notes: tuple[Noted, ...]


def read_dmis(
    path: Path, plan: Plan, model: CadModel, nominal: Callable[[NominalFeature], Nominal | None]
) -> ReadProgram:  # fmt: skip
    """Return a plan with the program of a file, whose features are on the part (`model`) of the plan.

    What the program does not say (probes, looks) stays as it is in the plan.

    Raises
    ------
    FormatError
        It is no program, is not whole, or makes no plan.
    """
    data = read_bytes(path)
    if len(data) > _MOST or b"\0" in data:
        raise FormatError(path, "it is no program in DMIS")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    program = Program(plan, model, nominal, plan.probing)
    try:
        _read(program, text)
        return ReadProgram(_made(program), tuple(sorted(program.notes, key=lambda n: n.line)))
    except ValidationError as error:
        raise FormatError(path, f"the program makes no plan: {plain(error)}") from error
    except Broken as error:
        raise FormatError(path, str(error)) from error


def _read(p: Program, text: str) -> None:
    own, began, ended = OwnReader(), False, False
    for number, line in read_lines(text):
        if own.begins(line):
            _remark(p, own)
        if own.take(number, line):
            continue
        _remark(p, own)
        if line.startswith("$$"):
            if began:
                p.keep(line.rstrip())
            continue
        if not began and not line.upper().startswith("DMISMN"):
            raise Broken("it is no program in DMIS: it does not begin with DMISMN")
        began = True
        if len(line) > MOST_TEXT:
            raise Broken(f"line {number}: the statement is longer than {MOST_TEXT:,} characters")
        if ended:
            _keep(p, number, line, "it stands behind the end of the program")
        elif line.upper() == "ENDFIL":
            ended = True
        else:
            _take(p, number, line)
    _remark(p, own)
    if not ended:
        raise Broken("the program is not whole: it does not end with ENDFIL")
    if p.block is not None:
        raise Broken(f"line {p.block.began.line}: the touches of a feature do not end with ENDMES")


def _take(p: Program, number: int, line: str) -> None:
    try:
        s = statement(line, number)
        handle = _HANDLERS.get(s.major)
        if handle is None:
            raise NotUnderstood("it is not read")
        handle(p, s)
    except Within:
        p.keep(line)
    except NotUnderstood as error:
        _keep(p, number, line, str(error))
    except ValidationError as error:
        _keep(p, number, line, plain(error))
    except GeometryError as error:
        _keep(p, number, line, str(error))


def _keep(p: Program, number: int, line: str, why: str) -> None:
    p.note(number, line, why)
    p.keep(line)


# What this program says beyond the standard -------------------------------------------------------------------------


def _remark(p: Program, own: OwnReader) -> None:
    try:
        ended = own.ended()
        if ended is None:
            return
        key, said = ended
        if key == "plan":
            _head(p, said)
        elif said.pop("alone", False):
            _alone(p, key, said)
            p.after = key
        else:
            p.own[key] = said
    except (NotUnderstood, ValueError) as error:  # also what makes no element of a plan
        why = plain(error) if isinstance(error, ValidationError) else str(error)
        p.note(own.first, "a remark of this program", why)


def _head(p: Program, said: Own) -> None:
    probing = model_of(Probing, said["probing"]) if "probing" in said else Probing()
    p.head, p.probing = said, probing


def _alone(p: Program, key: str, said: Own) -> None:
    """Take what no statement stands for."""
    label = key.partition("(")[2].rstrip(")")
    if "constructed" in said:
        p.features[label] = model_of(ConstructedFeature, said["constructed"])
    elif "characteristic" in said:
        required.add(p, model_of(Characteristic, said["characteristic"]))
    elif "alignment" in said:
        p.alignments[label] = defined.ALIGNMENT.validate_json(json.dumps(said["alignment"]))
    elif "step" in said:
        p.steps.append(touched.STEP.validate_json(json.dumps(said["step"])))
    else:
        raise NotUnderstood("nobody knows what it means")


# Statements on the whole --------------------------------------------------------------------------------------------


def _begin(p: Program, s: Statement) -> None:
    if s.parameters:
        p.name = unquoted(s.parameters[0])[:200]


def _units(p: Program, s: Statement) -> None:
    if s.at(0) not in _MM or s.at(1) not in (*_DEGREES, ""):  # every number after it would be read wrongly
        raise Broken(f"line {s.line}: {s.text}: only MM, CM, M, INCH and ANGDEC, ANGRAD are read")
    words = s.at(0), s.at(1) or "ANGDEC"
    p.scale, p.degrees = _MM[words[0]], _DEGREES[words[1]]
    p.units = "" if words == USUAL else ",".join(words)


def _distances(p: Program, s: Statement) -> None:
    name = {"APPRCH": "approach", "SEARCH": "search", "RETRCT": "retract"}.get(s.at(0))
    if name is None or len(s.parameters) != 2:
        raise NotUnderstood("it is not read")
    p.moves(**{name: s.number(1) * p.scale})


def _speeds(p: Program, s: Statement) -> None:
    name = {"POSVEL": "travel_speed", "MESVEL": "touch_speed"}.get(s.at(0))
    if name is None or s.at(1) not in _MM_PER_S or len(s.parameters) != 3:
        raise NotUnderstood("it is not read")
    p.moves(**{name: s.number(2) * _MM_PER_S[s.at(1)]})


_HANDLERS: dict[str, Callable[[Program, Statement], None]] = {
    "DMISMN": _begin, "UNITS": _units, "SNSET": _distances, "FEDRAT": _speeds, "FEAT": defined.feature,
    "SNSDEF": defined.sensor, "SNSLCT": defined.sensor_selected, "DATDEF": defined.datum, "DATSET": defined.alignment,
    "MEAS": touched.begin, "PTMEAS": touched.touch, "GOTO": touched.way, "ENDMES": touched.end, "TEXT": touched.text,
    "RECALL": touched.recall, "TOL": required.stated, "OUTPUT": required.told, "EVAL": required.told,
}  # fmt: skip


# All of it ----------------------------------------------------------------------------------------------------------


def _made(p: Program) -> Plan:
    """Return the plan (ValidationError: it does not hold together)."""
    p.keep_definitions()
    for key, said in p.own.items():
        if not {"characteristic", "step", "feature", "datum", "alignment"}.isdisjoint(said):
            p.note(0, key, "its statement is gone, or was not read: it is not taken over")
    if p.head is None:
        plan, order = p.plan.replace(name=p.name or p.plan.name), dict[str, list[str]]()
        ids = {a.id for a in p.alignments.values()}
        first = tuple(a for a in plan.alignments[:1] if a.id not in ids)
        alignments = (*first, *p.alignments.values())
        rest: dict[str, Any] = {"in_force": alignments[-1].id, "subsets": ()}
        route = plan.route.replace(original=())
    else:
        head = {k: v for k, v in p.head.items() if k not in ("order", "route", "in_force", "probing")}
        part = None if p.plan.part is None else p.plan.part.model_dump(mode="json")
        plan, order = model_of(Plan, {**head, "part": part}), p.head.get("order", {})
        known = tuple(p.alignments.values()) or plan.alignments
        alignments = tuple(_sorted(known, order.get("alignments", ()), lambda a: a.id))
        wanted = p.head.get("in_force", plan.in_force)
        rest = {"in_force": wanted if any(a.id == wanted for a in alignments) else alignments[-1].id}
        route = model_of(type(plan.route), p.head.get("route", {}))
    features = p.features.values()
    return plan.replace(
        features=tuple(f for f in features if isinstance(f, NominalFeature)),
        constructed=tuple(f for f in features if isinstance(f, ConstructedFeature)),
        datums=tuple(_sorted(tuple(p.datums.values()), order.get("datums", ()), lambda d: d.letter)),
        alignments=alignments, probing=p.probing, kept=tuple(p.kept), route=route.replace(steps=tuple(p.steps)),
        characteristics=tuple(_sorted(p.characteristics, order.get("characteristics", ()), lambda c: c.id)),
        **rest,
    )  # fmt: skip


def _sorted(found: Sequence[T], order: Sequence[str], name: Callable[[T], str]) -> list[T]:
    """Return things in an order of their names; what is not in it comes last, as it is."""
    place = {k: n for n, k in enumerate(order)}
    return sorted(found, key=lambda x: place.get(name(x), len(place)))
