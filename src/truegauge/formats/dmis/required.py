"""What a program requires: tolerances, and of which features they are told."""

from __future__ import annotations

from truegauge.core.cad.recognition import Nominal
from truegauge.core.plan.requirements import Characteristic
from truegauge.formats.dmis.program import Program
from truegauge.formats.dmis.requirements import new_characteristic, required, tolerance
from truegauge.formats.dmis.statements import NotUnderstood, Statement


def stated(p: Program, s: Statement) -> None:
    """TOL: a tolerance."""
    if s.kind != "T" or s.label in p.tolerances:
        raise NotUnderstood("there is one of this name already" if s.label in p.tolerances else "it has no label")
    p.tolerances[s.label] = required(s, p.scale, p.degrees)
    p.define(s)


def told(p: Program, s: Statement) -> None:
    """OUTPUT and EVAL: features with their tolerances are characteristics."""
    features, labels = list[str](), list[str]()
    count = 0
    for kind, label in s.references():
        count += 1
        if kind in ("F", "FA"):
            features += p.patterns.get(label) or [p.feature(label)]
            if label in p.patterns:
                p.definitions[f"F({label})"].used = True
        elif kind in ("T", "TA"):
            labels.append(label)
    if count != len(s.parameters) or not labels or not features:
        raise NotUnderstood("it is not a feature with its tolerances")
    missing = next((label for label in labels if label not in p.tolerances), None)
    if missing is not None:
        raise NotUnderstood(f"T({missing}) is not there, or was not read")
    before = list(p.characteristics)
    try:
        for label in labels:
            _require(p, label, tuple(features))
    except NotUnderstood:  # the statement is kept as a whole: nothing of it is taken
        p.characteristics[:] = before
        raise
    for label in labels:
        p.definitions[f"T({label})"].used = True


def _require(p: Program, label: str, features: tuple[str, ...]) -> None:
    statement, says = p.definitions[f"T({label})"].statement, p.tolerances[label]
    own = p.said(f"T({label})", "characteristic", Characteristic)
    if own is None:
        number = 1 + max((c.number for c in p.characteristics), default=0)
        letters = [x for d in says.datums for x in d.letters]
        if gone := [x for x in letters if x not in p.datums]:
            p.note(statement.line, statement.text, f"datum {gone[0]} is not there before it is told")
        letters = [x for x in letters if x in p.datums]
        add(p, new_characteristic(
            says, number, f"{label} {' '.join(features)}"[:80], features, _nominals(p, features),
            _nominals(p, tuple(p.datums[x].feature for x in letters)),
        ))  # fmt: skip
        return
    again = tolerance(label, own)
    if again is None or again.parameters != statement.parameters or own.features != features:
        p.note(statement.line, statement.text, "it was changed: its limits and datums are those in it now")
        own = says.onto(own).replace(features=features)
    add(p, own)


def _nominals(p: Program, features: tuple[str, ...]) -> tuple[Nominal, ...]:
    found = [p.nominal(f) for f in map(p.with_id, features) if f is not None]
    return tuple(n for n in found if n is not None)


def add(p: Program, c: Characteristic) -> None:
    """Add a characteristic; one whose number is taken gets another."""
    if any(x.number == c.number or x.id == c.id for x in p.characteristics):
        number = 1 + max(x.number for x in p.characteristics)
        c = c.replace(number=number, id=f"dmis-{number}")
    p.characteristics.append(c)
