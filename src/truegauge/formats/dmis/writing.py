"""A plan as a program: features, sensors, touches with the ways between them, datums, tolerances, output."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.arrays import Rigid
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.datums.named_frame import AXES, axis_vector
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.plan.alignments import DatumAlignment
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.kept import KeptStatement
from truegauge.core.routes.document import AlignStep, MeasureStep, NoteStep
from truegauge.formats.dmis.geometry import feature_statement
from truegauge.formats.dmis.own_lines import own_lines
from truegauge.formats.dmis.program import references_in
from truegauge.formats.dmis.requirements import tolerance, unsaid
from truegauge.formats.dmis.statements import (
    NotUnderstood,
    Statement,
    label_of,
    number_text,
    numbers_text,
    quoted,
    statement,
)

if TYPE_CHECKING:
    from truegauge.core.frozen_model import Frozen
    from truegauge.core.plan.document import Plan
    from truegauge.core.probing.probing import Probing, StylusUse
    from truegauge.core.routes.legs import PlannedRoute, StepPlan, Visit

VERSION = "5.2"
USUAL = ("MM", "ANGDEC")  # its units
# Of a plan what elements of the program say by themselves, or what belongs to its file.
ELEMENTS = (
    "schema_version",
    "part",
    "features",
    "constructed",
    "datums",
    "alignments",
    "characteristics",
    "route",
    "kept",
)


@dataclass(frozen=True, slots=True)
class Written:
    """A program, and what of the plan only this program reads in it, in words."""

    text: str
    left_out: tuple[str, ...] = ()


def write_dmis(
    plan: Plan, nominals: Mapping[str, Nominal], planned: PlannedRoute | None = None,
    machine_from_part: Rigid | None = None,
) -> Written:  # fmt: skip
    """Return the program of a plan; `nominals` are those of its features (by id), places are in part coordinates.

    Without a planned route (whose places are in coordinates of the machine) nothing is touched in it.
    """
    writer = _Writer(plan, nominals)
    writer.write(planned, np.eye(4) if machine_from_part is None else invert(machine_from_part))
    return Written("\n".join(writer.lines) + "\n", tuple(writer.left_out))


def said(element: Frozen) -> dict[str, Any]:
    """Return what an element of a plan says, beyond what is usual; of which kind it is always."""
    usual = {k: f.get_default(call_default_factory=True) for k, f in type(element).model_fields.items() if k != "kind"}
    whole = element.model_dump(mode="json")
    return {k: v for k, v in whole.items() if k not in usual or getattr(element, k) != usual[k]}


def sensor_statement(label: str, probing: Probing, use: StylusUse) -> Statement:
    """Return the definition of a stylus in a pose."""
    assembly = probing.assembly(use.assembly)
    place = assembly.stylus(use.stylus, use.pose)
    numbers = (use.pose.tilt_deg, use.pose.turn_deg, *place.direction, place.tip.diameter)
    return Statement("SNSDEF", ("PROBE", "INDEX", "POL", *numbers_text(numbers)), "S", label)


def direction_word(axis: str) -> str:
    """Return the word for an axis: XDIR, -XDIR."""
    return f"{axis.lstrip('+').upper()}DIR"


def sum_of(touches: list[str]) -> str:
    """Return a check of the touches of a feature: as long as it holds, they are those of its strategy."""
    return f"{zlib.crc32(chr(10).join(touches).encode()):08x}"


def _in_lines(text: str) -> str:
    """Return a statement that was kept, in lines of their width where it can be parted."""
    try:
        return str(statement(text))
    except NotUnderstood:
        return text


@dataclass
class _Writer:
    plan: Plan
    nominals: Mapping[str, Nominal]
    lines: list[str] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    _labels: dict[str, str] = field(default_factory=dict)  # of features, by id
    _alignments: dict[str, str] = field(default_factory=dict)
    _kept: dict[str, list[KeptStatement]] = field(default_factory=dict)
    _theirs: set[str] = field(default_factory=set)  # labels that kept statements define or mean
    _sensor: str = ""

    def write(self, planned: PlannedRoute | None, part_from_machine: Rigid) -> None:
        plan = self.plan
        for k in plan.kept:
            self._kept.setdefault(k.after, []).append(k)
            self._theirs |= references_in(k.text)
        self._add(Statement("DMISMN", (quoted(plan.name), VERSION)))
        self._add(Statement("UNITS", USUAL))
        rest = {k: v for k, v in said(plan).items() if k not in ELEMENTS}
        route = said(plan.route)
        order = {"datums": [d.letter for d in plan.datums], "alignments": [a.id for a in plan.alignments],
                 "characteristics": [c.id for c in plan.characteristics]}  # fmt: skip
        route = {k: v for k, v in route.items() if k != "steps"}
        self.lines.append(own_lines("plan", {**rest, "route": route, "order": order}))
        moves = plan.probing.moves
        for word, value in (("APPRCH", moves.approach), ("SEARCH", moves.search), ("RETRCT", moves.retract)):
            self._add(Statement("SNSET", (word, number_text(value))))
        for word, value in (("POSVEL", moves.travel_speed), ("MESVEL", moves.touch_speed)):
            self._add(Statement("FEDRAT", (word, "MMPS", number_text(value))))
        self._after("")
        self._features()
        steps = {} if planned is None else {s.step.id: s for s in planned.steps}
        sensors = self._sensors([v.use for s in steps.values() for v in s.visits])
        self._program(steps, sensors, part_from_machine)
        self._characteristics()
        for key in list(self._kept):  # what they came after has gone
            self._after(key)
        self.lines.append("ENDFIL")

    # Pieces -------------------------------------------------------------------------------------------------------

    def _add(self, statement: Statement) -> None:
        self.lines.append(str(statement))

    def _own(self, key: str, about: dict[str, Any], *, alone: bool = False) -> None:
        self.lines.append(own_lines(key, {**about, **({"alone": True} if alone else {})}))

    def _after(self, key: str) -> None:
        """Write what was kept behind something, in its own units."""
        now = ",".join(USUAL)
        for k in self._kept.pop(key, ()):
            wanted = k.units or ",".join(USUAL)
            if wanted != now:
                self._add(Statement("UNITS", tuple(wanted.split(","))))
                now = wanted
            self.lines.append(_in_lines(k.text))
        if now != ",".join(USUAL):
            self._add(Statement("UNITS", USUAL))

    def _label(self, wanted: str, taken: Callable[[], Iterator[str]], kind: str = "") -> str:
        """Return a label that nothing has yet; of a `kind` also none that kept statements mean."""
        base = label = label_of(wanted)
        others, k = set(taken()), 1
        while label in others or (kind and f"{kind}({label})" in self._theirs):
            k += 1
            label = f"{base[:50]}.{k}"
        return label

    def _features(self) -> None:
        every: tuple[NominalFeature | ConstructedFeature, ...] = (*self.plan.features, *self.plan.constructed)
        for f in every:
            label = self._label(f.id, lambda: iter(self._labels.values()))
            self._labels[f.id] = label
            built = isinstance(f, ConstructedFeature)
            key = f"F({label})"
            self._own(key, {"constructed" if built else "feature": said(f)}, alone=built)
            if built:
                self.left_out.append(f"{f.name}: what is built from features")
            else:
                self._add(feature_statement(label, self.nominals.get(f.id)))
                if f.id not in self.nominals:
                    self.left_out.append(f"{f.name}: the shape of a free-form feature")
            self._after(key)

    def _sensors(self, uses: list[StylusUse]) -> dict[StylusUse, str]:
        found: dict[StylusUse, str] = {}
        for use in uses:
            if use not in found:
                wanted = (
                    f"{use.assembly}.{use.stylus}.{number_text(use.pose.tilt_deg)}.{number_text(use.pose.turn_deg)}"
                )
                found[use] = self._label(wanted, lambda: iter(found.values()), "S")
                key = f"S({found[use]})"
                self._own(key, {"use": said(use)})
                self._add(sensor_statement(found[use], self.plan.probing, use))
        return found

    # What is done, in its order -----------------------------------------------------------------------------------

    def _program(self, steps: dict[str, StepPlan], sensors: dict[StylusUse, str], part_from_machine: Rigid) -> None:
        written: set[str] = set()
        for step in self.plan.route.steps:
            key = f"M({label_of(step.id)})"
            planned = steps.get(step.id)
            visits = () if planned is None or not step.on else planned.visits
            if isinstance(step, MeasureStep) and visits:
                self._measure(key, step, visits, sensors, part_from_machine)
            elif isinstance(step, AlignStep) and step.on and self._alignment(step.alignment, written):
                self._own(key, {"step": said(step)})
                self._add(Statement("RECALL", (f"D({self._alignments[step.alignment]})",)))
            elif isinstance(step, NoteStep) and step.on:
                self._own(key, {"step": said(step)})
                self._add(Statement("TEXT", ("OPER", quoted(step.text))))
            else:
                self._own(key, {"step": said(step)}, alone=True)
                self.left_out.append(f"{getattr(step, 'feature', step.kind)}: a step that is off, or is not reached")
            self._after(key)
            for d in self.plan.datums:
                if d.feature == getattr(step, "feature", None):
                    self._datum(d.letter)
        for d in self.plan.datums:
            self._datum(d.letter)
        for a in self.plan.alignments:
            self._alignment(a.id, written)

    def _measure(
        self, key: str, step: MeasureStep, visits: tuple[Visit, ...], sensors: dict[StylusUse, str],
        part_from_machine: Rigid,
    ) -> None:  # fmt: skip
        touches, before, block = list[str](), list[Statement](), list[Statement]()

        def goes(ways: np.ndarray) -> None:
            block.extend(Statement("GOTO", ("CART", *numbers_text(p))) for p in apply(part_from_machine, ways))

        for v in visits:
            if self._sensor != sensors[v.use]:
                self._sensor = sensors[v.use]
                (block if block else before).append(Statement("SNSLCT", (f"S({self._sensor})",)))
            places = apply(part_from_machine, v.places.points)
            normals = rotate(part_from_machine, v.places.normals)
            for k in range(len(v.places)):
                if len(v.ways[k]):
                    goes(np.atleast_2d(v.ways[k]))
                touch = Statement("PTMEAS", ("CART", *numbers_text(places[k]), *numbers_text(normals[k])))
                touches.append(str(touch))
                block.append(touch)
            if len(v.out):
                goes(np.atleast_2d(v.out))
        nominal = self.nominals.get(step.feature)
        label = self._labels[step.feature]
        word = feature_statement(label, nominal).parameters[0]
        self._own(key, {"step": said(step), "touches": sum_of(touches)})
        for s in (*before, Statement("MEAS", (word, f"F({label})", str(len(touches)))), *block):
            self._add(s)
        self._add(Statement("ENDMES"))

    def _datum(self, letter: str) -> None:
        key = f"DAT({letter})"
        if key in self._labels:
            return
        self._labels[key] = key
        d = self.plan.datum(letter)
        self._own(key, {"datum": said(d)})
        self._add(Statement("DATDEF", (f"FA({self._labels[d.feature]})", key)))
        if d.others or d.targets:
            self.left_out.append(f"datum {letter}: further features, or targets")
        self._after(key)

    def _alignment(self, alignment: str, written: set[str]) -> bool:
        """Write an alignment that others can read too, once; False for one that only this program knows."""
        a = self.plan.alignment(alignment)
        is_theirs = isinstance(a, DatumAlignment) and bool(a.datums)
        if a.id not in written:
            written.add(a.id)
            label = self._alignments[a.id] = self._label(a.id, lambda: iter(self._alignments.values()))
            key = f"D({label})"
            self._own(key, {"alignment": said(a)}, alone=not is_theirs)
            if is_theirs and isinstance(a, DatumAlignment):
                cells = list[str]()
                for d in a.datums:
                    letter = next((x.letter for x in self.plan.datums if x.feature == d.feature and not x.others), "")
                    if letter:
                        self._datum(letter)
                    what = f"DAT({letter})" if letter else f"FA({self._labels[d.feature]})"
                    cells += [what, direction_word(d.axis or self._nearest_axis(d.feature))]
                self._add(Statement("DATSET", tuple(cells), "D", label))
            else:
                self.left_out.append(f"{a.name or a.id}: an alignment that is not by datums")
            self._after(key)
        return is_theirs

    def _nearest_axis(self, feature: str) -> str:
        """Return the axis of the part that a feature's direction is nearest to."""
        nominal = self.nominals.get(feature)
        line = (
            None if nominal is None else getattr(nominal.feature, "normal", getattr(nominal.feature, "direction", None))
        )
        return "+z" if line is None else max(AXES, key=lambda name: float(axis_vector(name) @ line))

    # What is required ---------------------------------------------------------------------------------------------

    def _characteristics(self) -> None:
        output, labels, patterns = list[Statement](), list[str](), list[str]()
        for c in self.plan.characteristics:
            label = self._label(str(c.number), lambda: iter(labels), "T")
            labels.append(label)
            key = f"T({label})"
            own = set(c.features) <= set(self._labels)
            stated = tolerance(label, c) if own else None
            self._own(key, {"characteristic": said(c)}, alone=stated is None)
            if stated is None:
                self.left_out.append(f"{c.number} {c.name}: {kind_named(c.kind).label}")
            else:
                self._add(stated)
                if more := unsaid(c):
                    self.left_out.append(f"{c.number} {c.name}: {more}")
                features = [f"FA({self._labels[f]})" for f in c.features]
                if len(features) > 1 and kind_named(c.kind).takes_pattern:
                    members = tuple(f.replace("FA(", "F(", 1) for f in features)
                    pattern = self._label(f"pattern.{label}", lambda: iter((*self._labels.values(), *patterns)), "F")
                    patterns.append(pattern)
                    self._add(Statement("FEAT", ("PATERN", *members), "F", pattern))
                    features = [f"FA({pattern})"]
                output.append(Statement("OUTPUT", (*features, f"TA({label})")))
        for s in output:
            self._add(s)
