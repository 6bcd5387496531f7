"""What a program defines: features, sensors, datums, alignments."""

from __future__ import annotations

import json

import numpy as np
from pydantic import TypeAdapter

from truegauge.core.arrays import unit
from truegauge.core.datums.named_frame import AXES
from truegauge.core.plan.alignments import AlignmentDatum, AnyAlignment, DatumAlignment
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.requirements import Datum
from truegauge.core.probing.probing import StylusUse
from truegauge.formats.dmis.geometry import defined, faces_meant, feature_statement
from truegauge.formats.dmis.program import Program
from truegauge.formats.dmis.statements import NotUnderstood, Statement
from truegauge.formats.dmis.writing import direction_word, sensor_statement

ALIGNMENT: TypeAdapter[AnyAlignment] = TypeAdapter(AnyAlignment)
_SAME = 0.01  # mm and degrees that a sensor may differ by
_NO_STYLUS = "the plan has no such stylus: what it touches is given to the one that fits best"


def _labelled(s: Statement, kind: str, known: object) -> None:
    if s.kind != kind:
        raise NotUnderstood("it has no label")
    if known:
        raise NotUnderstood("there is one of this name already")


def feature(p: Program, s: Statement) -> None:
    """FEAT: the faces of the part that it means; PATERN: features that are required together."""
    _labelled(s, "F", s.label in p.features or s.label in p.patterns)
    if s.at(0) == "PATERN":
        members = tuple(p.feature(label) for _, label in s.references())
        if not members or len(members) != len(s.parameters) - 1:
            raise NotUnderstood("its members are not read")
        p.patterns[s.label] = members
        p.define(s)
        return
    own = p.said(s.key, "feature", NominalFeature)
    if own is None or feature_statement(s.label, p.nominal(own)).parameters != s.parameters:
        taken = frozenset(f.faces for f in p.features.values() if isinstance(f, NominalFeature))
        faces = faces_meant(p.model, defined(s, p.scale, p.degrees), taken)
        if own is not None:
            p.note(s.line, s.text, "it was changed: its faces are those that it means now")
        own = NominalFeature(id=s.label, name=s.label, faces=faces) if own is None else own.replace(faces=faces)
    if any(f.id == own.id for f in p.features.values()):
        raise NotUnderstood("there is one of this name already")
    p.features[s.label] = own
    p.after = s.key


def sensor(p: Program, s: Statement) -> None:
    """SNSDEF: a stylus of the plan in one of its poses."""
    _labelled(s, "S", s.label in p.sensors)
    own = p.said(s.key, "use", StylusUse)
    if own is not None and p.probing.has_stylus(own):
        if sensor_statement(s.label, p.probing, own).parameters == s.parameters:
            p.sensors[s.label] = own
            p.define(s)
            return
        p.note(s.line, s.text, "it was changed: it is the stylus of the plan that it means now")
    if (s.at(0), s.at(1), s.at(2)) != ("PROBE", "INDEX", "POL") or len(s.parameters) != 9:
        raise NotUnderstood("only PROBE, INDEX, POL with angles, direction and diameter is read")
    tilt, turn = (v * p.degrees for v in s.numbers(3, 2))
    way, diameter = np.array(s.numbers(5, 3)), s.number(8) * p.scale
    for use in p.probing.uses():
        place = p.probing.assembly(use.assembly).stylus(use.stylus, use.pose)
        same = abs(use.pose.tilt_deg - tilt) < _SAME and abs(use.pose.turn_deg - turn) < _SAME
        if same and abs(place.tip.diameter - diameter) < _SAME and float(place.direction @ unit(way)) > 1 - 1e-4:
            p.sensors[s.label] = use
            p.define(s)
            return
    raise NotUnderstood(_NO_STYLUS)


def sensor_selected(p: Program, s: Statement) -> None:
    """SNSLCT: what touches from here on."""
    label = next((label for kind, label in s.references() if kind in ("S", "SA")), "")
    p.use = p.sensors.get(label)
    if p.use is None:
        raise NotUnderstood(_NO_STYLUS)
    p.definitions[f"S({label})"].used = True


def datum(p: Program, s: Statement) -> None:
    """DATDEF: a letter on a feature."""
    known = {("F" if kind == "FA" else kind): label for kind, label in s.references()}
    letter, feature_id = known.get("DAT", ""), p.feature(known.get("F", ""))
    if letter in p.datums or len(s.parameters) != 2:
        raise NotUnderstood("there is a datum of this letter already" if letter in p.datums else "it is not read")
    own = p.said(f"DAT({letter})", "datum", Datum) or Datum(letter=letter, feature=feature_id)
    if own.feature != feature_id:
        p.note(s.line, s.text, "it was changed: the letter is on this feature now")
        own = own.replace(feature=feature_id, targets=())
    p.datums[letter], p.after = own, f"DAT({letter})"


def alignment(p: Program, s: Statement) -> None:
    """DATSET: an alignment by datums in their order."""
    _labelled(s, "D", s.label in p.alignments)
    words = {direction_word(a): a for a in AXES}
    made = list[AlignmentDatum]()
    for cell, (kind, label) in ((c, next(iter(Statement("", (c,)).references()), ("", ""))) for c in s.parameters):
        if cell.upper() in words and made and made[-1].axis is None:
            made[-1] = made[-1].replace(axis=words[cell.upper()])
        elif kind == "DAT" and label in p.datums:
            made.append(AlignmentDatum(feature=p.datums[label].feature))
        elif kind in ("F", "FA"):
            made.append(AlignmentDatum(feature=p.feature(label)))
        elif cell.upper() not in ("XORIG", "YORIG", "ZORIG"):
            raise NotUnderstood(f"{cell} is not read")
    said = p.own.pop(s.key, {}).get("alignment")
    own = None if said is None else ALIGNMENT.validate_json(json.dumps(said))
    if isinstance(own, DatumAlignment) and [d.feature for d in own.datums] == [d.feature for d in made]:
        p.alignments[s.label] = own
    else:
        if own is not None:
            p.note(s.line, s.text, "it was changed: the datums are those in it now")
        base = own.base if own is not None else p.plan.alignments[0].id
        p.alignments[s.label] = DatumAlignment(
            id=own.id if own else s.label, name=s.label, base=base, datums=tuple(made)
        )
    p.after = s.key
