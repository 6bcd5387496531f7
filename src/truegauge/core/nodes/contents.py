"""What the nodes of an evaluation depend on in a plan: the content behind names and ids, worked out once a plan."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TYPE_CHECKING

from truegauge.core.hashed import Hashed
from truegauge.core.plan.alignments import features_of
from truegauge.core.plan.features import ConstructedFeature

if TYPE_CHECKING:
    from truegauge.core.plan.alignments import AnyAlignment
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import Group

_PLACED = {"id", "name", "base", "offset", "turns"}  # what does not change how an alignment is computed


class Contents:
    """The contents of one plan. They are asked for by every node, so that each is kept."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self._kept: dict[Hashable, Hashable] = {}

    def kept(self, of: Hashable, make: Callable[[], Hashable]) -> Hashable:
        """Return a content that is made once; its hash is worked out once too."""
        found = self._kept.get(of)
        if found is None:
            found = self._kept[of] = Hashed(make())
        return found

    def group(self, group: Group) -> Hashable:
        """Return what a measured feature depends on besides the points."""
        return self.kept(("group", group), lambda: self._group(group))

    def groups(self, groups: tuple[Group, ...]) -> Hashable:
        """Return what several measured features depend on."""
        return tuple(self.group(g) for g in groups)

    def feature(self, feature_id: str) -> Hashable:
        """Return what a measured feature of the plan depends on besides the points."""
        return self.group(self.plan.feature(feature_id).group)

    def _group(self, group: Group) -> Hashable:
        plan = self.plan
        if not isinstance(group, str):
            own = plan.feature_with_faces(group)
            return (group, *plan.association_of(group), own.extraction if own is not None else None)
        made = plan.feature_of(group)
        if not isinstance(made, ConstructedFeature):
            return group
        return (made.construction, made.values, *(self.feature(m) for m in made.members))

    def reading(self, reading_id: str) -> Hashable:
        """Return what a spot check, a dimension or a compared point says, with the plane of its section."""
        section = self.plan.section_with(reading_id)
        return self.kept(
            ("reading", reading_id),
            lambda: (self.plan.reading(reading_id), None if section is None else section.plane_content),
        )

    def alignment(self, alignment_id: str) -> Hashable:
        """Return what an alignment says, with all that it starts from."""
        own = self.plan.alignment(alignment_id)
        return self.kept(("alignment", own.id), lambda: self._alignment(own))

    def _alignment(self, own: AnyAlignment) -> Hashable:
        features = tuple(self.feature(f) for f in features_of(own))
        return (
            _hashable(own.model_dump(exclude=_PLACED)), (own.offset, own.turns), features,
            self.plan.extraction if features else None, self.alignment(own.base) if own.base else None,
        )  # fmt: skip

    def chain(self, alignment_id: str) -> tuple[AnyAlignment, ...]:
        """Return an alignment and those that it starts from."""
        found = [self.plan.alignment(alignment_id)]
        while found[-1].base:
            found.append(self.plan.alignment(found[-1].base))
        return tuple(found)

    @property
    def extraction(self) -> Hashable:
        """How points are chosen for features that say nothing of their own."""
        return self.kept("extraction", lambda: (self.plan.extraction, self.plan.extraction_of_shapes))


def _hashable(value: object) -> Hashable:
    if isinstance(value, dict):
        return tuple((k, _hashable(v)) for k, v in value.items())
    if isinstance(value, list | tuple):
        return tuple(_hashable(v) for v in value)
    return value  # type: ignore[return-value]
