"""One result of an evaluation as a node of its graph."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Generic, TypeVar

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context

T_co = TypeVar("T_co", covariant=True)


class Node(Generic[T_co]):
    """What is to be worked out: subclasses are small frozen dataclasses whose fields say of what.

    `of_sample`: there is none without a sample. `of_features`: measured features are behind it, so that a trial of
    the uncertainty, which has them otherwise, works it out again; everything else is shared with the trial.
    """

    of_sample: ClassVar[bool] = True
    of_features: ClassVar[bool] = True

    def key(self, context: Context) -> Hashable:
        """Return what the result depends on, the node's class and the sample's origin aside."""
        raise NotImplementedError

    def compute(self, context: Context) -> T_co:
        """Work the result out; an error of ours becomes the reason why there is none."""
        raise NotImplementedError
