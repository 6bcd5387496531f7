"""The log of a series: a table (CSV) that grows by a row a part, which others may read while it does.

A row is there whole, on the disk, when it is told to be, or not at all. Each has a number, one more than the one
before, so that nothing is lost or counted twice unnoticed.
"""

from __future__ import annotations

import csv
import io
import os
from typing import TYPE_CHECKING

from truegauge.core.errors import FormatError
from truegauge.formats.growing import append_whole, take_alone
from truegauge.formats.table_text import as_text

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

NUMBER = "no"
Cell = str | float | int | None


class SeriesLog:
    """A log that is open for one program; what is in it already stays.

    Parameters
    ----------
    columns : sequence of str
        Names of what a row holds, besides its number. A log that is there already must have the same.

    Raises
    ------
    FormatError
        It cannot be written, another program has it, or it is another table.
    """

    def __init__(self, path: Path, columns: Sequence[str]) -> None:
        self.path, self.columns = path, tuple(columns)
        try:
            self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
        except OSError as error:
            raise FormatError(path, f"the log cannot be written ({error.strerror})") from error
        try:
            self._taken()
        except BaseException:
            self.close()
            raise

    def _taken(self) -> None:
        take_alone(self.path, self._file, "another program writes this log")
        with os.fdopen(os.dup(self._file), "rb") as stream:
            data = stream.read()
        whole = data[: data.rfind(b"\n") + 1]
        head = _line((NUMBER, *self.columns))
        try:
            lines = whole.decode("utf-8-sig").splitlines()
        except UnicodeDecodeError:
            raise FormatError(self.path, "this is no log of a series: it is no text") from None
        begun = not lines and head.startswith(data)  # a first line that was not written whole
        if not begun and (not lines or f"{lines[0]}\r\n".encode() != head):
            raise FormatError(self.path, "this log has other columns: begin another one")
        numbers = [line.partition(",")[0] for line in lines[1:]]
        if numbers != [str(k) for k in range(1, len(numbers) + 1)]:
            wrong = next(k for k, number in enumerate(numbers, 1) if number != str(k))
            raise FormatError(self.path, f"line {wrong + 1} is not row {wrong}: it was changed; begin another log")
        if len(whole) < len(data):  # a row that was not written whole
            os.ftruncate(self._file, len(whole))
        self.rows = len(numbers)
        if not lines:
            self._append(head)

    def add(self, cells: Sequence[Cell]) -> int:
        """Write a row; it is on the disk when this returns, with its number.

        Raises
        ------
        FormatError
            It cannot be written; what there was is as before.
        """
        if len(cells) != len(self.columns):
            raise FormatError(self.path, f"{len(cells)} cells for {len(self.columns)} columns")
        self._append(_line((self.rows + 1, *cells)))
        self.rows += 1
        return self.rows

    def close(self) -> None:
        """Let go of it; it can be gone on with."""
        if self._file >= 0:
            os.close(self._file)
            self._file = -1

    def _append(self, line: bytes) -> None:
        if self._file < 0:
            raise FormatError(self.path, "the log is closed")
        append_whole(self.path, self._file, line, "the log cannot be written ({}): make room, then go on")


def _line(cells: Sequence[Cell]) -> bytes:
    """Return a row of a table: every one is one line, whatever is in its cells."""
    text = io.StringIO()
    plain = ["" if c is None else as_text(" ".join(c.split())) if isinstance(c, str) else c for c in cells]
    csv.writer(text).writerow(plain)
    return text.getvalue().encode()
