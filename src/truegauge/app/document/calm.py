"""Who must not be interrupted by a long tidying up: while there is somebody, old garbage waits."""

from weakref import WeakSet

_wanted: WeakSet[object] = WeakSet()


def want_calm(owner: object, wanted: bool) -> None:
    """Let there be no long pause for an owner, or not any more; it ends with the owner at the latest."""
    if wanted:
        _wanted.add(owner)
    else:
        _wanted.discard(owner)


def calm_is_wanted() -> bool:
    """Whether somebody must not be interrupted."""
    return len(_wanted) > 0
