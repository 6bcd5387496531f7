"""What a program does: touches of features, texts for the operator, alignments that are taken."""

from __future__ import annotations

import json

import numpy as np
from pydantic import TypeAdapter, ValidationError

from truegauge.core.arrays import three, unit
from truegauge.core.routes.document import AlignStep, AnyStep, MeasureStep, NoteStep, step_id
from truegauge.core.routes.strategies import Clicked
from truegauge.formats.dmis.program import Block, Program
from truegauge.formats.dmis.statements import NotUnderstood, Statement, Within, unquoted
from truegauge.formats.dmis.writing import sum_of

STEP: TypeAdapter[AnyStep] = TypeAdapter(AnyStep)
_NO_FEATURE = "its feature is not there, or was not read"


def begin(p: Program, s: Statement) -> None:
    """MEAS: touches of a feature begin. Those of a feature that is not read are no other one's."""
    if p.block is not None:
        raise NotUnderstood("the touches of the feature before do not end")
    label = next((label for kind, label in s.references() if kind in ("F", "FA")), "")
    p.block = Block(s, label if label in p.features else "", len(p.kept), [s.text])
    _within(p, s)


def _within(p: Program, s: Statement) -> None:
    """Keep what belongs to a feature that is not read, as it stands; it is told at its end."""
    if p.block is not None and not p.block.label:
        raise Within(_NO_FEATURE)


def touch(p: Program, s: Statement) -> None:
    """PTMEAS: a touch."""
    block = p.block
    _within(p, s)
    if block is None:
        raise NotUnderstood("no touches of a feature began before it")
    if s.at(0) != "CART" or len(s.parameters) != 7:
        raise NotUnderstood("only CART with a place and a direction is read")
    place, way = np.array(s.numbers(1, 3)) * p.scale, np.array(s.numbers(4, 3))
    if np.linalg.norm(way) < 1e-9:
        raise NotUnderstood("its direction is zero")
    block.raw.append(s.text)
    block.touches.append(str(s))
    block.places.append((three(place), three(unit(way))))
    block.uses.add(p.use)


def way(p: Program, s: Statement) -> None:
    """GOTO: ways are planned anew, what it says is not needed."""
    _within(p, s)
    if s.at(0) != "CART" or len(s.parameters) != 4:
        raise NotUnderstood("only CART with a place is read")
    s.numbers(1, 3)
    if p.block is not None:
        p.block.raw.append(s.text)


def end(p: Program, s: Statement) -> None:
    """ENDMES: the touches are those of a strategy as long as nobody changed them, else places one by one."""
    block = p.block
    if block is None:
        raise NotUnderstood("no touches of a feature began before it")
    if not block.label:
        p.note(block.began.line, block.began.text, f"{_NO_FEATURE}: all to line {s.line} is kept as it is")
    try:
        _within(p, s)
    finally:
        p.block = None
    try:
        _end(p, block)
    except (NotUnderstood, ValidationError):  # all of it is kept, as it stood
        p.kept[block.before : block.before] = [p.kept_as(text, p.after) for text in block.raw]
        raise


def _end(p: Program, block: Block) -> None:
    feature, began = p.feature(block.label), block.began
    key = next((k for k, said in p.own.items() if _says(said, "feature", feature)), "")
    said = p.own.pop(key, {})
    own = STEP.validate_json(json.dumps(said["step"])) if said else None
    announced = began.number(2) if len(began.parameters) > 2 else len(block.touches)
    if announced != len(block.touches):
        p.note(began.line, began.text, f"{announced:.0f} touches are announced, {len(block.touches)} are read")
    if isinstance(own, MeasureStep) and said.get("touches") == sum_of(block.touches):
        _step(p, own, key)
        return
    if not block.places:
        raise NotUnderstood("it has no touches that are read")
    strategy = Clicked(places=tuple(block.places))
    if isinstance(own, MeasureStep):
        p.note(began.line, began.text, "it was changed: the touches are those in it now")
        _step(p, own.replace(strategy=strategy), key)
        return
    made = MeasureStep(
        id=step_id(feature),
        feature=feature,
        strategy=strategy,
        stylus=block.uses.pop() if len(block.uses) == 1 else None,
    )
    _step(p, made, f"M({made.id})")


def text(p: Program, s: Statement) -> None:
    """TEXT/OPER: something for the operator to do."""
    if s.at(0) != "OPER" or len(s.parameters) != 2:
        raise NotUnderstood("only texts for the operator are read")
    words = unquoted(s.parameters[1])
    key = next((k for k, said in p.own.items() if _says(said, "kind", "note")), "")
    own = p.said(key, "step", NoteStep) if key else None
    if own is not None:
        _step(p, own if " ".join(own.text.split()) == words else own.replace(text=words), key)
        return
    name = f"note-{1 + sum(isinstance(x, NoteStep) for x in p.steps)}"
    _step(p, NoteStep(id=name, text=words), f"M({name})")


def recall(p: Program, s: Statement) -> None:
    """RECALL: from here on the part lies where an alignment finds it."""
    label = next((label for kind, label in s.references() if kind in ("D", "DA")), "")
    if label not in p.alignments:
        raise NotUnderstood("there is no such alignment before it")
    wanted = p.alignments[label].id
    key = next((k for k, said in p.own.items() if _says(said, "alignment", wanted)), "")
    own = p.said(key, "step", AlignStep) if key else None
    if own is not None:
        _step(p, own, key)
        return
    name = f"a-{label}-{1 + sum(isinstance(x, AlignStep) for x in p.steps)}"
    _step(p, AlignStep(id=name, alignment=wanted), f"M({name})")


def _says(said: dict[str, object], name: str, value: str) -> bool:
    step = said.get("step")
    return isinstance(step, dict) and step.get(name) == value


def _step(p: Program, step: AnyStep, key: str) -> None:
    feature = getattr(step, "feature", "")
    if any(s.id == step.id or (feature and getattr(s, "feature", "") == feature) for s in p.steps):
        raise NotUnderstood("it is measured a second time")
    p.steps.append(step)
    p.after = key
