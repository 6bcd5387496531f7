"""How many points a text says that it holds: cut at the end of a line, it looks whole otherwise."""

import re
from collections.abc import Iterable
from pathlib import Path

from truegauge.core.errors import FormatError

_NUMBER = r"(\d{1,3}(?:[ ,'_]\d{3})+|\d+)"
_OF_POINTS = r"(?:points?|pts|vertices|vertex|rows)"  # lines may be those of the file, heading included
_SAID = (
    re.compile(rf"(?:(?:total|the|number|no\.?|num|nr\.?|count|n)[\s_]*(?:of[\s_]*)?)*{_OF_POINTS}"
               rf"(?:[\s_]*(?:count|number|in[\s_]*file))?\s*[:=]?\s*{_NUMBER}", re.IGNORECASE),
    re.compile(rf"{_NUMBER}\s*{_OF_POINTS}", re.IGNORECASE),
    re.compile(rf"(?:count|point[\s_]*count|npoints|n)\s*[:=]\s*{_NUMBER}", re.IGNORECASE),
)  # fmt: skip
_ALONE = re.compile(r"\d+")


def promised_count(lines: Iterable[tuple[int, str]]) -> tuple[int, int] | None:
    """Return the first line (its number, and the count) of a heading that says how many points follow; None for none.

    A number alone on a line counts, but not in a comment, where it may be a year or a version.
    """
    for number, line in lines:
        if _ALONE.fullmatch(line.strip()):
            return number, int(line)
        text = line.strip().strip("#/!;*% \t\"'.,")
        for said in _SAID:
            match = said.fullmatch(text)
            if match is not None:
                return number, int(re.sub(r"\D", "", match[1]))
    return None


def count_notes(path: Path, promised: tuple[int, int] | None, there: int) -> tuple[str, ...]:
    """Compare how many points are there with what was promised; say it where nothing was.

    Raises
    ------
    FormatError
        More are promised than are there: the file is cut off.
    """
    if promised is None:
        return (f"{there:,} points were read; the file does not say how many it should hold",)
    line, count = promised
    if count > there:
        raise FormatError(
            path, f"cut off: {count:,} points are promised in line {line}, {there:,} are there; copy or export it again"
        )
    if count < there:
        return (f"line {line} of the file promises {count:,} points, {there:,} are there: all were read",)
    return ()
