"""Things of a plan that have an id: put in the place of the one with theirs, or at the end; taken away."""

from typing import Protocol, TypeVar


class HasId(Protocol):
    """Something with an id."""

    @property
    def id(self) -> str:
        """Unlike that of all others of its kind."""


T = TypeVar("T", bound=HasId)


def put(there: tuple[T, ...], one: T) -> tuple[T, ...]:
    """Return all with one more, or with it in the place of the one with its id."""
    if one.id not in {t.id for t in there}:
        return (*there, one)
    return tuple(one if t.id == one.id else t for t in there)


def without(there: tuple[T, ...], one_id: str) -> tuple[T, ...]:
    """Return all but the one with an id."""
    return tuple(t for t in there if t.id != one_id)
