"""What frozen models refer to: fields say it themselves, so that cascades and revisions need no list of fields.

A field is annotated, as ``feature: Annotated[str, Refers("feature", "goes")]``. Then `used` finds what a model refers
to, `without` takes what is gone out of it, and `renumbered` gives faces their new numbers.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from truegauge.core.frozen_model import Frozen

What = Literal["feature", "characteristic", "face"]
M = TypeVar("M", bound=Frozen)


@dataclass(frozen=True, slots=True)
class Refers:
    """What the names (or numbers) in a field mean, and what happens when one of them is gone.

    The model "goes" with it, the field "shrinks" to what is left (an only name becomes empty), or the faces are "lost":
    they stay, as numbers below zero that still tell which they were.
    """

    what: What
    when_gone: Literal["goes", "shrinks", "lost"]


def _reference(model: Frozen, name: str) -> Refers | None:
    return next((m for m in type(model).model_fields[name].metadata if isinstance(m, Refers)), None)


def used(model: Frozen, what: What) -> set[Any]:
    """Return the ids, or the numbers of faces, that a model and all within it refer to."""
    found: set[Any] = set()
    for name in type(model).model_fields:
        value, own = getattr(model, name), _reference(model, name)
        if own is not None and own.what == what:
            found |= {value} - {""} if isinstance(value, str) else set(value)
            continue
        for part in value if isinstance(value, tuple) else (value,):
            if isinstance(part, Frozen):
                found |= used(part, what)
    return found


def without(model: M, what: What, gone: frozenset[Any]) -> M | None:
    """Return a model without references to what is gone; None where it goes with it."""
    return _changed(model, changes_without(model, what, gone))


def changes_without(model: Frozen, what: What, gone: frozenset[Any]) -> dict[str, Any] | None:
    """Return the fields that change when something is gone; None where the model goes with it."""

    def left(value: Any, own: Refers) -> Any:
        if not ({value} if isinstance(value, str) else set(value)) & gone:
            return value
        if own.when_gone == "goes":
            return None
        return "" if isinstance(value, str) else tuple(v for v in value if v not in gone)

    return _changes(model, what, left)


def renumbered(model: M, new_of: dict[int, int]) -> M | None:
    """Return a model with its faces as they are numbered now; None where it goes with all of its faces."""

    def now(value: Any, own: Refers) -> Any:
        found = tuple(sorted({new_of[f] for f in value if f in new_of}))
        if found or not value or own.when_gone == "shrinks":
            return found
        # No two lost features are the same faces.
        return None if own.when_gone == "goes" else tuple(-1 - abs(f) for f in value)

    return _changed(model, _changes(model, "face", now))


def _changed(model: M, changes: dict[str, Any] | None) -> M | None:
    if changes is None:
        return None
    return model.replace(**changes) if changes else model


def _changes(model: Frozen, what: What, of_own: Callable[[Any, Refers], Any]) -> dict[str, Any] | None:
    """Return the fields that change, in the model and in all within it; None where `of_own` says that it goes."""
    changes: dict[str, Any] = {}
    for name in type(model).model_fields:
        value, own = getattr(model, name), _reference(model, name)
        now = value
        if own is not None and own.what == what:
            now = of_own(value, own)
            if now is None:
                return None
        elif isinstance(value, Frozen):
            now = _changed(value, _changes(value, what, of_own))
        elif isinstance(value, tuple) and any(isinstance(v, Frozen) for v in value):
            parts = [_changed(v, _changes(v, what, of_own)) if isinstance(v, Frozen) else v for v in value]
            if any(a is not b for a, b in zip(parts, value, strict=True)):
                now = tuple(v for v in parts if v is not None)
        if now is not value and now != value:
            changes[name] = now
    return changes
