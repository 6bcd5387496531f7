"""Texts cut to the room that there is."""

from collections.abc import Callable

_LONGEST = 2000  # characters: more fit into no room


def fitting(text: str, fits: Callable[[str], bool]) -> str:
    """Return a text, or the longest beginning of it with an ellipsis that fits; empty where not even that does.

    Halved, not shortened letter by letter: a name may have ten thousand.
    """
    if len(text) <= _LONGEST and fits(text):
        return text
    low, high = 0, min(len(text) - 1, _LONGEST)
    while low < high:
        middle = (low + high + 1) // 2
        if fits(text[:middle].rstrip() + "…"):
            low = middle
        else:
            high = middle - 1
    return text[:low].rstrip() + "…" if low > 0 else ""
