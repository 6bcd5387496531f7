"""Version 6 to 7: sizes without modifiers were those of the associated feature; now a plan states what they mean."""

from typing import Any


def step(document: dict[str, Any]) -> dict[str, Any]:
    """Return the document as version 7 has it."""
    return {"usual_size": "GG", **document, "schema_version": 7}
