"""How far a program was run: enough to go on from the last touch in another process, at the same machine."""

from collections.abc import Iterable
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from truegauge.core.arrays import Rigid
from truegauge.core.frames import as_rigid
from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.probing.probing import StylusUse
from truegauge.core.samples.document import ProbedTouch

OverState = Literal["done", "skipped", "failed"]


class Located(Frozen):
    """From here on the part is taken to lie there: ``machine_from_part``, row by row."""

    entry: Literal["located"] = "located"
    pose: tuple[float, ...] = Field(min_length=16, max_length=16)

    @staticmethod
    def at(machine_from_part: Rigid) -> "Located":
        """Return the entry for a place."""
        return Located(pose=tuple(float(v) for v in np.ravel(machine_from_part)))


class Taken(Frozen):
    """A touch, with the step and the stylus that it was made for, and where it was planned (mm, machine)."""

    entry: Literal["taken"] = "taken"
    step: str
    use: StylusUse
    at: Three
    touch: ProbedTouch


class Over(Frozen):
    """A step that is over, and why where it was not done."""

    entry: Literal["over"] = "over"
    step: str
    state: OverState
    why: str = ""


class Again(Frozen):
    """A step is done again: its touches do not count any more."""

    entry: Literal["again"] = "again"
    step: str


class Read(Frozen):
    """How warm the part is, °C."""

    entry: Literal["read"] = "read"
    temperature_c: float = Field(gt=-60, lt=200)


AnyEntry = Located | Taken | Over | Again | Read
Entry = Annotated[AnyEntry, Field(discriminator="entry")]


class RunState:
    """What the entries of a run come to: where the part lies, the touches in their order, the steps that are over."""

    def __init__(self, first: Located, rest: Iterable[AnyEntry] = ()) -> None:
        self._pose = first.pose
        self.taken: list[Taken] = []
        self.over: dict[str, Over] = {}
        self.temperature_c: float | None = None
        for entry in rest:
            self.take(entry)

    @property
    def machine_from_part(self) -> Rigid:
        """Where the part is taken to lie, (4, 4)."""
        return as_rigid(np.array(self._pose).reshape(4, 4))

    def take(self, entry: AnyEntry) -> None:
        """Go on by an entry."""
        match entry:
            case Located():
                self._pose = entry.pose
            case Taken():
                self.taken.append(entry)
            case Over():
                self.over[entry.step] = entry
            case Again():
                self.taken = [t for t in self.taken if t.step != entry.step]
                self.over.pop(entry.step, None)
            case Read():
                self.temperature_c = entry.temperature_c
