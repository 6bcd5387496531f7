"""The log of a series as a workbook: numbers as numbers, verdicts by colour too."""

from __future__ import annotations

import csv
import io
import math
from typing import TYPE_CHECKING

from truegauge.core.errors import FormatError
from truegauge.formats.files import read_bytes
from truegauge.formats.series_log import NUMBER
from truegauge.formats.table_text import cell_text

if TYPE_CHECKING:
    from pathlib import Path

_FILLS = {"bad": "#F0D0CA", "incomplete": "#F3E3C0"}


def series_xlsx(log: Path) -> bytes:
    """Return a log as XLSX; rows that are not whole yet are left out.

    Raises
    ------
    FormatError
        It is no log.
    """
    import xlsxwriter

    data = read_bytes(log)
    try:
        text = data[: data.rfind(b"\n") + 1].decode("utf-8-sig")
    except UnicodeDecodeError:
        raise FormatError(log, "this is no log of a series: it is no text") from None
    try:
        rows = list(csv.reader(io.StringIO(text)))
    except csv.Error as error:
        raise FormatError(log, f"this is no log of a series ({error})") from None
    if not rows or rows[0][:1] != [NUMBER]:
        raise FormatError(log, "this is no log of a series")
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    bold, plain = book.add_format({"bold": True, "bottom": 1}), book.add_format({"num_format": "0.0000"})
    fills = {word: book.add_format({"bg_color": color}) for word, color in _FILLS.items()}
    sheet = book.add_worksheet("series")
    head = rows[0]
    texts = {k for k, name in enumerate(head) if name in ("time", "serial", "operator", "batch", "plan")}
    sheet.write_row(0, 0, [cell_text(name) for name in head], bold)
    sheet.freeze_panes(1, 3)
    sheet.set_column(1, len(head), 12)
    for row, cells in enumerate(rows[1:], 1):
        if len(cells) != len(head):
            raise FormatError(log, f"line {row + 1} has {len(cells)} cells for {len(head)} columns: it was changed")
        for column, cell in enumerate(cells):
            number = None if column in texts else _number(cell)
            if number is not None:
                sheet.write_number(row, column, number, plain if "[" in head[column] else None)
            elif cell:
                sheet.write_string(row, column, cell_text(cell), fills.get(cell))
    sheet.autofilter(0, 0, max(1, len(rows) - 1), len(head) - 1)
    book.close()
    return out.getvalue()


def _number(cell: str) -> float | None:
    try:
        value = float(cell)
    except ValueError:
        return None
    return value if math.isfinite(value) else None  # a workbook has no others
