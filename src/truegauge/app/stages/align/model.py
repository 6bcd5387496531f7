"""What the Align stage shows: the alignment chosen in its list, picking for it, and the view before and after it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.session import Session
from truegauge.core.arrays import Rigid, Vector
from truegauge.core.authoring.alignments import new_alignment, picked, with_feature, with_pick
from truegauge.core.commands.alignments import RemoveAlignment, SetAlignment, SetInForce
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.datums.freedoms import Freedoms
from truegauge.core.errors import TrueGaugeError
from truegauge.core.frames import apply, from_rotation_vector, invert, rotation_vector
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import (
    KIND_NAMES,
    AnyAlignment,
    BestFitAlignment,
    GivenAlignment,
)
from truegauge.core.registration.alignment import Alignment

POSE = "pose "  # in front of the number of one of several poses, among the targets
_SEEN = 0.03  # of the part's size: how far a motion is made to go on the screen


class AlignModel(QObject):
    """Follows the session; widgets and the view listen to `changed`."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.picking = False
        self.share = 1.0  # of the way from before to after that the view shows
        self.chosen_target = ""
        self._chosen = ""
        session.document.plan_changed.connect(self.changed)
        session.document.evaluated.connect(self.changed)
        session.stage_changed.connect(self._on_stage)
        session.document.part_changed.connect(self._on_part)

    # What is chosen ------------------------------------------------------------------------------------------------

    @property
    def own(self) -> AnyAlignment:
        """The alignment chosen in the list; the one in force until another is chosen."""
        plan = self.session.plan
        return plan.alignment(self._chosen if plan.has_alignment(self._chosen) else "")

    @property
    def result(self) -> Alignment | NotComputed | None:
        """Its result, the reason why there is none, or None before it is known."""
        return self.result_of(self.own.id)

    def result_of(self, alignment_id: str) -> Alignment | NotComputed | None:
        """Return the result of an alignment of the plan."""
        evaluation = self.session.evaluation
        return None if evaluation is None else evaluation.alignments.get(alignment_id)

    def freedoms_of(self, alignment_id: str) -> Freedoms:
        """Return who holds what in an alignment; nobody where there is no result."""
        result = self.result_of(alignment_id)
        return result.freedoms if isinstance(result, Alignment) else Freedoms()

    @property
    def is_in_force(self) -> bool:
        """Whether the chosen alignment is the one in force."""
        return self.own.id == self.session.plan.in_force

    def choose(self, alignment_id: str) -> None:
        """Choose an alignment in the list."""
        if alignment_id != self.own.id:
            self._chosen, self.chosen_target, self.share = alignment_id, "", 1.0
            self.set_picking(False)
            self.changed.emit()

    def choose_target(self, name: str) -> None:
        """Choose a target of the chosen alignment."""
        if name.startswith(POSE):
            self.edit(candidate=int(name.removeprefix(POSE)))
        elif name != self.chosen_target:
            self.chosen_target = name
            self.changed.emit()

    # Changing ------------------------------------------------------------------------------------------------------

    def add(self, kind: str) -> None:
        """Make a new alignment, choose it, and wait for picks."""
        made = new_alignment(self.session.plan, kind)
        self._chosen, self.chosen_target, self.share = made.id, "", 1.0
        if self.session.run(SetAlignment(made, label=f"new alignment: {KIND_NAMES[kind]}")):
            self.set_picking(not isinstance(made, BestFitAlignment | GivenAlignment))
        self.changed.emit()

    def edit(self, **changes: object) -> bool:
        """Change fields of the chosen alignment, as one step of undo; a refused change becomes a notice."""
        try:
            made = self.own.replace(**changes)
        except ValueError as error:
            self.session.notify(error)
            self.changed.emit()
            return False
        return made != self.own and self.session.run(SetAlignment(made))

    def put_in_force(self) -> None:
        """Report by the chosen alignment."""
        self.session.run(SetInForce(self.own.id))

    def remove(self) -> None:
        """Remove the chosen alignment."""
        self.session.run(RemoveAlignment(self.own.id))
        self.changed.emit()

    def step_candidate(self, by: int) -> None:
        """Take the next of several poses that fit about as well."""
        own, result = self.own, self.result
        count = len(result.candidates) if isinstance(result, Alignment) else 0
        if isinstance(own, BestFitAlignment) and count > 1:
            self.edit(candidate=(own.candidate + by) % count)

    # Picking -------------------------------------------------------------------------------------------------------

    def set_picking(self, picking: bool) -> None:
        """Let clicks in the view add to the chosen alignment, or select as elsewhere."""
        self.picking = picking
        self.session.pointer.take_places(self._take if picking and self.session.stage == "align" else None)
        self.changed.emit()

    def add_feature(self, feature_id: str) -> None:
        """Add a feature of the plan to the chosen alignment, also one that cannot be picked: constructed ones."""
        evaluator, plan = self.session.evaluator, self.session.plan
        if evaluator is None:
            return
        try:
            command = with_feature(evaluator.context(plan, None), self.own, feature_id)
        except (TrueGaugeError, ValueError) as error:
            self.session.notify(error)
            return
        self.session.run(command)

    def report_selected(self) -> None:
        """Report the characteristic selected in the ledger in the chosen alignment; again: in the one in force."""
        s = self.session
        if s.selection.characteristic:
            there = s.plan.characteristic(s.selection.characteristic).alignment
            wanted = "" if there == self.own.id else self.own.id
            label = "report in another alignment"
            s.run(EditCharacteristic(s.selection.characteristic, (("alignment", wanted),), label))

    def _take(self, face: int, place: Vector) -> bool:
        evaluator = self.session.evaluator
        if evaluator is None:
            return False
        try:
            context = evaluator.context(self.session.plan, None)
            command = with_pick(context, self.own, picked(context, face, place))
        except (TrueGaugeError, ValueError) as error:
            self.session.notify(error)
            return True
        self.session.run(command)
        return True

    def _on_stage(self) -> None:
        self.set_picking(self.picking and self.session.stage == "align")

    def _on_part(self) -> None:
        self._chosen, self.chosen_target, self.share = "", "", 1.0
        self.set_picking(False)

    # Before and after ----------------------------------------------------------------------------------------------

    def set_share(self, share: float) -> None:
        """Show the points a share of the way from before (0) to after (1)."""
        self.share = share
        self.changed.emit()

    @property
    def exaggeration(self) -> float:
        """How many times the way from before to after is enlarged, so that it can be seen."""
        motion, model = self._motion(), self.session.model
        if motion is None or model is None:
            return 1.0
        moved = float(np.linalg.norm(apply(motion, model.box) - model.box, axis=1).max())
        if moved < 1e-9 or moved > _SEEN * model.diagonal:
            return 1.0
        wanted = _SEEN * model.diagonal / moved
        power = 10.0 ** np.floor(np.log10(wanted))
        return float(max(k * power for k in (1, 2, 5) if k * power <= wanted))

    def _motion(self) -> Rigid | None:
        """Return ``after_from_before`` of the chosen alignment, in part coordinates."""
        after = self.result
        if not isinstance(after, Alignment):
            return None
        base = self.result_of(self.own.base) if self.own.base else None
        before = base.part_from_scan if isinstance(base, Alignment) else None
        return None if before is None else after.part_from_scan @ invert(before)

    @property
    def has_before(self) -> bool:
        """Whether there is an alignment before the chosen one to compare with."""
        return self._motion() is not None

    def shown_from_force(self) -> Rigid | None:
        """Return the motion of the drawn points, which lie as the alignment in force puts them; None for none."""
        after, force = self.result, self.result_of(self.session.plan.in_force)
        motion = self._motion()
        if self.session.stage != "align" or not isinstance(after, Alignment) or not isinstance(force, Alignment):
            return None
        shown = after.part_from_scan
        if motion is not None and self.share < 1.0:
            back, center = invert(motion), self._center()
            turn, amount = rotation_vector(back), (1.0 - self.share) * self.exaggeration
            shift = apply(back, center) - center
            part_way = from_rotation_vector(amount * turn, np.zeros(3))
            part_way[:3, 3] = center + amount * shift - part_way[:3, :3] @ center
            shown = part_way @ shown
        relative = shown @ invert(force.part_from_scan)
        return None if np.allclose(relative, np.eye(4), atol=1e-12) else relative

    def _center(self) -> Vector:
        model = self.session.model
        return np.zeros(3) if model is None else np.asarray(model.box.mean(axis=0))
