"""Lists of names in messages."""

from collections.abc import Iterable


def some(names: Iterable[str], most: int = 12) -> str:
    """Say what there is, the first ones by name."""
    known = list(names)
    more = f" and {len(known) - most} more" if len(known) > most else ""
    return f"it has {', '.join(known[:most])}{more}" if known else "it has none"
