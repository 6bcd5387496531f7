"""What the nodes of an evaluation look at: a plan as seen in one alignment, a sample, the part, and the graph."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from truegauge.core.nodes.graph import Graph, Key, NotComputed, needed
from truegauge.core.progress import Progress, part_of, silent

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.projection import Projector
    from truegauge.core.characteristics.kind import Kind
    from truegauge.core.features.extraction import Built, Measured
    from truegauge.core.nodes.contents import Contents
    from truegauge.core.nodes.node import Node
    from truegauge.core.nodes.part_index import PartIndex
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import Group
    from truegauge.core.samples.sample import Sample
    from truegauge.core.tolerancing.outcome import Outcome
    from truegauge.core.tolerancing.request import Patch

T = TypeVar("T")
NO_SAMPLE = NotComputed("no sample yet: bring in a scan")
NO_PICTURE = NotComputed("no picture yet: connect a camera, or open a picture")


class Features(Protocol):
    """Where measured features come from: from the points, or as a trial of the uncertainty has them."""

    def measured(self, context: Context, group: Group) -> Measured | Built | NotComputed:
        """Return a measured feature; of faces that are no feature of the plan too."""

    def patch(self, context: Context, faces: tuple[int, ...]) -> Patch | NotComputed:
        """Return the points of any faces, free-form ones too."""

    def settled(self, context: Context, outcome: Node[Outcome]) -> tuple[Rigid, ...]:
        """Return where the zones of a tolerance were found before its points moved a little."""


@dataclass(frozen=True, slots=True, eq=False)
class Context:
    """A plan as seen in an alignment (`alignment`, an id), the sample, the part, and where results are kept.

    `features` says where measured features come from. Of a trial of the uncertainty `base` is the context that it
    shares all nodes with that measured features are not behind. `kinds` gives the kinds of characteristics by name.
    `progress` is told to by nodes that take long; `memo` keeps what keys are made of.
    """

    part: PartIndex
    contents: Contents
    sample: Sample | None
    alignment: str
    graph: Graph
    features: Features
    kinds: Callable[[str], Kind]
    base: Context | None = None
    progress: Progress = silent
    memo: dict[Hashable, Any] = field(default_factory=dict)

    @property
    def plan(self) -> Plan:
        """The plan."""
        return self.contents.plan

    @property
    def model(self) -> CadModel:
        """The part as arrays."""
        return self.part.model

    @property
    def projector(self) -> Projector:
        """Exact distances to the part."""
        return self.part.projector

    @property
    def measured_sample(self) -> Sample:
        """The sample, where a node has said that it needs one."""
        assert self.sample is not None
        return self.sample

    def kind(self, name: str) -> Kind:
        """Return a kind of characteristics by its name; of one that is not known one that says so."""
        return self.kinds(name)

    def remembered(self, name: str, make: Callable[[], T]) -> T:
        """Return what was made in this context before, under a name."""
        found: T | None = self.memo.get(name)
        if found is None:
            found = self.memo[name] = make()
        return found

    def seen_in(self, alignment: str) -> Context:
        """Return the context in an alignment of the plan; itself for none."""
        if not alignment or alignment == self.alignment:
            return self
        found: Context | None = self.memo.get(("seen in", alignment))
        if found is None:
            base = None if self.base is None else self.base.seen_in(alignment)
            found = replace(self, alignment=alignment, base=base, progress=silent, memo={})
            self.memo["seen in", alignment] = found
        return found if self.progress is silent else found.telling(self.progress)

    def of(self, contents: Contents) -> Context:
        """Return the context of another plan, seen in the alignment that is in force there."""
        return replace(self, contents=contents, alignment=contents.plan.in_force, memo={})

    def without_sample(self) -> Context:
        """Return the context without a sample."""
        return replace(self, sample=None, memo={})

    def telling(self, progress: Progress) -> Context:
        """Return a context whose nodes tell how far they are."""
        return replace(self, progress=progress)

    def share(self, start: float, end: float) -> Context:
        """Return a context whose nodes tell a share of the progress of this one."""
        return self if self.progress is silent else replace(self, progress=part_of(self.progress, start, end))

    def get(self, node: Node[T]) -> T | NotComputed:
        """Return the result of a node: what is known, else worked out now."""
        if self.base is not None and not node.of_features:
            return self.base.get(node)
        if node.of_sample and self.sample is None:
            return self.no_sample
        return self.graph.node(self._key(node), lambda: node.compute(self))

    def need(self, node: Node[T], what: str = "") -> T:
        """Return the result of a node that another needs.

        Raises
        ------
        EvaluationError
            The reason why there is none, with `what` in front.
        """
        found: T | NotComputed = self.get(node)
        return needed(found, what)

    def peek(self, node: Node[T]) -> T | NotComputed | None:
        """Return the result of a node if it is known."""
        if node.of_sample and self.sample is None:
            return self.no_sample
        return self.graph.peek(self._key(node))  # type: ignore[return-value]

    @property
    def no_sample(self) -> NotComputed:
        """Why there is no result without a sample."""
        return NO_SAMPLE if self.plan.silhouette is None else NO_PICTURE

    def know(self, node: Node[T], result: T) -> None:
        """Take the result of a node that was worked out elsewhere, from the same content."""
        self.graph.node(self._key(node), lambda: result)

    def knows(self, node: Node[object]) -> bool:
        """Tell whether a node is worked out, or needs a sample that is not there."""
        return self.peek(node) is not None

    def _key(self, node: Node[object]) -> Key:
        origin = self.sample.origin if node.of_sample and self.sample is not None else None
        return (type(node), origin, node.key(self))

    def measured(self, group: Group) -> Measured | Built | NotComputed:
        """Return a measured feature: of faces, or a constructed one by its id."""
        return NO_SAMPLE if self.sample is None else self.features.measured(self, group)

    def patch(self, faces: tuple[int, ...]) -> Patch | NotComputed:
        """Return the points of any faces."""
        return NO_SAMPLE if self.sample is None else self.features.patch(self, faces)
