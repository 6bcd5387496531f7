"""From version 13 to 14: silhouettes."""

from typing import Any


def step(document: dict[str, Any]) -> dict[str, Any]:
    """Return the document of the next version."""
    return {**document, "schema_version": 14, "silhouette": None}
