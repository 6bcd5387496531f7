"""Remarks of our own in a program: what a plan says beyond the words of the standard, with a check of each.

Others pass over them. Of what a statement says too the statement counts: remarks never undo what was edited in it.
"""

import json
import zlib
from typing import Any

from truegauge.formats.dmis.statements import WIDTH, NotUnderstood

_SIGN, _ON = "$$ plan: ", "$$ and "
Own = dict[str, Any]


def own_lines(key: str, said: Own) -> str:
    """Return the remark on something (`key`: "F(base)", "plan"), in lines of 80 characters."""
    text = json.dumps(said, sort_keys=True, separators=(",", ":"), ensure_ascii=True)
    whole = f"{zlib.crc32((key + text).encode()):08x} {key} {text}"
    lines = list[str]()
    while whole:
        sign = _ON if lines else _SIGN
        piece = whole[: WIDTH - len(sign)]
        piece = piece.rstrip(" ") or piece  # editors take spaces at the end of lines away
        lines.append(sign + piece)
        whole = whole[len(piece) :]
    return "\n".join(lines)


class OwnReader:
    """Puts the lines of remarks together again."""

    def __init__(self) -> None:
        self._whole = ""
        self.first = 0

    def begins(self, line: str) -> bool:
        """Whether another remark of ours begins in a line: the one before has ended."""
        return line.startswith(_SIGN)

    def take(self, number: int, line: str) -> bool:
        """Take a line; False where it is none of ours."""
        if line.startswith(_SIGN):
            self._whole, self.first = line[len(_SIGN) :], number
            return True
        if line.startswith(_ON) and self._whole:
            self._whole += line[len(_ON) :]
            return True
        return False

    def ended(self) -> tuple[str, Own] | None:
        """Return the remark that ended with the line before, and what it is on; None for none.

        Raises
        ------
        NotUnderstood
            It is damaged, or was changed.
        """
        whole, self._whole = self._whole, ""
        if not whole:
            return None
        check, _, rest = whole.partition(" ")
        key, _, text = rest.partition(" ")
        if check != f"{zlib.crc32((key + text).encode()):08x}":
            raise NotUnderstood("a remark of this program is damaged: what the statements say counts alone")
        said = json.loads(text)
        if not isinstance(said, dict):
            raise NotUnderstood("a remark of this program is damaged")
        return key, said
