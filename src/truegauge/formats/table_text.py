"""Texts in tables: what would be taken for a formula, or fits into no cell, is written so that it is text."""

from typing import Any

_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_LONGEST = 32_000  # characters of a cell


def as_text(value: Any) -> Any:
    """Return a cell of a CSV file: texts that begin like a formula get an apostrophe, numbers stay numbers."""
    if not isinstance(value, str):
        return value
    return cell_text(f"'{value}" if value.startswith(_FORMULA) else value)


def cell_text(value: str) -> str:
    """Return a text that fits into a cell, without characters that no table can hold."""
    readable = value.encode("utf-8", "replace").decode()
    kept = "".join(c for c in readable if c >= " " or c in "\t\n")
    return kept if len(kept) <= _LONGEST else f"{kept[:_LONGEST]}…"
