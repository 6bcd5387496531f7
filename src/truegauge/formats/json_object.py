"""JSON in: objects with limits, and the version that they were written in."""

import json
from pathlib import Path
from typing import Any

from truegauge.core.errors import FormatError, UnsupportedVersionError

_MOST_PARTS = 1_000_000  # objects and lists of a document


def object_of_json(path: Path, data: bytes, what: str) -> dict[str, Any]:
    """Return a JSON object, with limits: of how deep it nests, how many parts it has, and that numbers are numbers.

    Raises
    ------
    FormatError
        It is damaged, too large, or holds what JSON does not have (NaN, Infinity).
    """
    if data.count(b"{") + data.count(b"[") > _MOST_PARTS:
        raise FormatError(path, f"{what} is damaged: it has more than {_MOST_PARTS:,} parts")

    def no_number(text: str) -> float:
        raise ValueError(f"{text} is no number")

    try:
        document = json.loads(data, parse_constant=no_number)
    except (ValueError, RecursionError) as error:
        raise FormatError(path, f"{what} is damaged: {error}") from error
    if not isinstance(document, dict):
        raise FormatError(path, f"{what} is damaged: it is no JSON object")
    return document


def require_version(path: Path, document: dict[str, Any], newest: int, what: str) -> None:
    """Check the version in which an object was written.

    Raises
    ------
    FormatError
        There is none.
    UnsupportedVersionError
        It is newer than this program.
    """
    version = document.get("schema_version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise FormatError(path, f"{what} does not tell its version")
    if version > newest:
        raise UnsupportedVersionError(
            path, f"{what} was written by a newer version ({version} > {newest}); update True Gauge"
        )
