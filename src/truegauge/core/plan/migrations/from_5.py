"""Version 5 to 6: probes, and how styli are qualified and features touched. Plans made before have none."""

from typing import Any


def step(document: dict[str, Any]) -> dict[str, Any]:
    """Return the document as version 6 has it."""
    return {**document, "schema_version": 6}
