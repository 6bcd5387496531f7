"""Version 2 to 3: one best fit became a list of alignments with one in force."""

from typing import Any

_FIRST = "a1"


def step(document: dict[str, Any]) -> dict[str, Any]:
    """Return the document as version 3 has it."""
    rest = {k: v for k, v in document.items() if k != "alignment"}
    only = document.get("alignment", {"kind": "best_fit"})
    if isinstance(only, dict):
        only = {**only, "id": _FIRST, "name": "Best fit"}
    return {**rest, "alignments": [only], "in_force": _FIRST, "schema_version": 3}
