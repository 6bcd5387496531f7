"""What the window offers on tolerances besides editing them in the ledger."""

import numpy as np

from truegauge.app.document.session import Session
from truegauge.app.widgets.action import Action
from truegauge.core.authoring.frames import (
    add_tier,
    faces_around,
    faces_between,
    general_profile,
    other_direction,
    toggle_basic,
)
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.constructions.parts import axis_of, plane_of
from truegauge.core.plan.requirements import Characteristic


class ToleranceActions:
    """Tiers, exact dimensions, the general profile, all around."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def commands(self) -> list[Action]:
        """The commands on tolerances."""
        s = self._session
        return [
            Action("tier-composite", "Tolerances", "Add a composite tier below the selected frame", "",
                   lambda: self.add_tier(composite=True), self.can_tier),
            Action("tier-single", "Tolerances", "Add a single segment below the selected frame", "",
                   lambda: self.add_tier(composite=False), self.can_tier),
            Action("directions", "Tolerances", "Judge the selected frame in two directions, each a line of its own", "",
                   self.add_other_direction, self.can_have_directions),
            Action("exact", "Tolerances", "Theoretically exact dimension, or toleranced", "", self.toggle_exact,
                   self.can_be_exact),
            Action("general-profile", "Tolerances", "Add the general profile for faces without a tolerance", "",
                   self.add_general_profile, lambda: s.model is not None),
            Action("around", "Tolerances", "Select all around", "Shift+P", self.take_around,
                   lambda: bool(s.selection.faces())),
            Action("between", "Tolerances", "Select from the first selected face to the last", "", self.take_between,
                   lambda: len(s.selection.faces()) > 1),
        ]  # fmt: skip

    @property
    def selected(self) -> Characteristic | None:
        """The selected characteristic."""
        s = self._session
        return next((c for c in s.plan.characteristics if c.id == s.selection.characteristic), None)

    def can_tier(self) -> bool:
        """Whether the selected characteristic can have a tier below it."""
        c = self.selected
        return c is not None and kind_named(c.kind).takes_tiers

    def add_tier(self, *, composite: bool) -> None:
        """Add a tier below the selected frame."""
        c = self.selected
        if c is not None and self.can_tier():
            command = add_tier(self._session.plan, c, composite=composite)
            if self._session.run(command):
                self._session.selection.select_characteristic(command.characteristic.id)

    def can_have_directions(self) -> bool:
        """Whether the selected frame is one of an axis or a centre, whose zone may lie between planes."""
        c, s = self.selected, self._session
        if c is None or s.evaluator is None or not kind_named(c.kind).takes_directions:
            return False
        nominal = s.evaluator.nominal(s.plan.named(c.features[0]).group, s.plan)
        return isinstance(nominal, Nominal) and plane_of(nominal.feature) is None

    def add_other_direction(self) -> None:
        """Judge the selected frame between planes in two directions, each a line of its own."""
        c, s = self.selected, self._session
        if c is None or s.evaluator is None or not self.can_have_directions():
            return
        nominal = s.evaluator.nominal(s.plan.named(c.features[0]).group, s.plan)
        line = axis_of(nominal.feature) if isinstance(nominal, Nominal) else None
        s.run(other_direction(s.plan, c, None if line is None else line.direction))

    def can_be_exact(self) -> bool:
        """Whether the selected characteristic is a dimension."""
        c = self.selected
        return c is not None and not kind_named(c.kind).one_sided

    def toggle_exact(self) -> None:
        """Make the selected dimension theoretically exact, or toleranced again."""
        c = self.selected
        if c is not None and self.can_be_exact():
            self._session.run(toggle_basic(c))

    def add_general_profile(self) -> None:
        """Put the general profile tolerance on all faces that have none."""
        s = self._session
        if s.model is None:
            return
        command = general_profile(s.plan, s.model)
        if command is None:
            s.notify("every face has a tolerance already")
        elif s.run(command):
            s.selection.select_characteristic(command.characteristic.id)

    def take_around(self) -> None:
        """Select all faces that go around with the selected one, along the direction of the first datum (else Z)."""
        s = self._session
        faces = s.selection.faces()
        if s.model is None or not faces:
            return
        around = faces_around(s.model, faces[0], self._direction())
        if not around:
            s.notify("the selected face does not run along the first datum's direction: nothing goes around with it")
            return
        s.selection.select((around,))

    def take_between(self) -> None:
        """Select the faces from the first selected one to the last, along the direction of the first datum (else Z)."""
        s = self._session
        faces = s.selection.faces()
        if s.model is None or len(faces) < 2:
            return
        between = faces_between(s.model, faces, self._direction())
        if not between:
            s.notify("the selected faces are not joined by faces along the first datum's direction")
            return
        s.selection.select((between,))

    def _direction(self) -> np.ndarray:
        s = self._session
        for datum in s.plan.datums[:1]:
            nominal = s.evaluator.nominal(s.plan.feature(datum.feature).group, s.plan) if s.evaluator else None
            if isinstance(nominal, Nominal):
                line, plane = axis_of(nominal.feature), plane_of(nominal.feature)
                if line is not None:
                    return line.direction
                if plane is not None:
                    return plane.normal
        return np.array([0.0, 0.0, 1.0])
