"""The summary of a batch: characteristics by samples, with states and what all samples together say."""

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from truegauge.core.evaluation.surface_judgement import UNITS, WORDS
from truegauge.core.plan.surface_checks import AT_LEAST
from truegauge.formats.table_text import as_text
from truegauge.jobs.records import Record

_STATE_WORDS = {"within": "within", "near": "near a limit", "outside": "outside",
                "undecided": "not decided yet", "not_measured": "not measured"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class SummaryCell:
    """One characteristic of one sample: the value (mm or degrees), or the reason why there is none."""

    measured: float | None
    deviation: float | None
    state: str
    reason: str
    bonus: float = 0.0


@dataclass(frozen=True, slots=True)
class SummaryRow:
    """One characteristic: its stated limits, its cells, and the statistics of what is measured.

    What the size of a sample adds to a limit stands in its cell. Limits of surface checks have no number.
    """

    number: int | None
    name: str
    kind: str
    unit: str
    nominal: float | None
    lower: float | None
    upper: float | None
    cells: tuple[SummaryCell, ...]
    mean: float | None
    deviation: float | None  # the standard deviation
    least: float | None
    greatest: float | None
    outside: int


@dataclass(frozen=True, slots=True)
class SummarySample:
    """One sample: how many of its characteristics are in each state, or why it has no results."""

    name: str
    scan: str
    reason: str
    counts: dict[str, int]
    seconds: float


@dataclass(frozen=True, slots=True)
class Summary:
    """All of a batch."""

    plan: str
    revision: int
    samples: tuple[SummarySample, ...]
    rows: tuple[SummaryRow, ...]


def summarize(records: Sequence[Record]) -> Summary:
    """Collect records into a table; samples without results have empty cells."""
    known = [r.results for r in records if r.results is not None]
    first: dict[str, Any] = known[0] if known else {"plan": "", "plan_revision": 0, "characteristics": []}
    samples = tuple(SummarySample(r.name, r.scan, r.reason, dict(r.counts), r.seconds) for r in records)
    tables = [{c["number"]: c for c in r.results["characteristics"]} if r.results is not None else {} for r in records]
    rows = []
    for c in first["characteristics"]:
        cells = tuple(_cell(t.get(c["number"]), r.reason) for t, r in zip(tables, records, strict=True))
        rows.append(_row((c["number"], c["name"], c["kind"], c["unit"], c["nominal"], *_stated(c)), cells))
    rows += _of_surfaces(records)
    return Summary(first["plan"], first["plan_revision"], samples, tuple(rows))


def _row(told: tuple[Any, ...], cells: tuple[SummaryCell, ...]) -> SummaryRow:
    """Return a row with its statistics; `told` is all that stands before the cells."""
    values = np.array([x.measured for x in cells if x.measured is not None])
    there = len(values) > 0
    number, name, kind, unit, nominal, lower, upper = told
    return SummaryRow(
        number, name, kind, unit, nominal, lower, upper, cells, float(values.mean()) if there else None,
        float(values.std(ddof=1)) if len(values) > 1 else None, float(values.min()) if there else None,
        float(values.max()) if there else None, sum(x.state == "outside" for x in cells),
    )  # fmt: skip


def _of_surfaces(records: Sequence[Record]) -> list[SummaryRow]:
    """Return a row for each limit of the surface checks."""
    found: dict[tuple[str, str], tuple[str, float]] = {}  # check and quantity: its name, the limit
    tables = []
    for record in records:
        cells: dict[tuple[str, str], SummaryCell] = {}
        for check in (record.results or {}).get("surfaces", []):
            for limit in check.get("limits", []):
                key = (check["id"], limit["quantity"])
                found[key] = (check["name"], limit["limit"])
                cells[key] = SummaryCell(limit["value"], None, limit["state"], "")
            # Why a check could not be done stands in the cells of all of its limits.
            cells[check["id"], ""] = SummaryCell(None, None, "not_measured", check.get("reason", ""))
        tables.append(cells)
    rows = []
    for (check_id, quantity), (name, limit) in found.items():
        own = tuple(
            cells.get((check_id, quantity)) or cells.get((check_id, ""))
            or SummaryCell(None, None, "not_measured", record.reason)
            for cells, record in zip(tables, records, strict=True)
        )  # fmt: skip
        bounds = (limit, None) if quantity in AT_LEAST else (None, limit)
        told = (None, f"{name}: {WORDS[quantity]}", "surface", UNITS[quantity], None, *bounds)
        rows.append(_row(told, own))
    return rows


def _cell(c: dict[str, Any] | None, reason: str) -> SummaryCell:
    if c is None:
        return SummaryCell(None, None, "not_measured", reason)
    return SummaryCell(c["measured"], c["deviation"], c["state"], c["reason"], c.get("bonus") or 0.0)


def _stated(c: dict[str, Any]) -> tuple[float | None, float | None]:
    """Return the limits without what the size of this one sample adds."""
    upper = c["upper"]
    return c["lower"], None if upper is None else upper - (c.get("bonus") or 0.0)


_HEAD = ("number", "name", "kind", "unit", "nominal", "lower", "upper")
_TAIL = ("mean", "standard deviation", "least", "greatest", "outside")


def _tail(row: SummaryRow) -> tuple[float | int | None, ...]:
    return (row.mean, row.deviation, row.least, row.greatest, row.outside)


def summary_csv(summary: Summary) -> bytes:
    """Return one row a characteristic, three columns (value, state, bonus) a sample (RFC 4180)."""
    out = io.StringIO()
    writer = csv.writer(out)
    names = [x for s in summary.samples for x in (s.name, f"{s.name} state", f"{s.name} bonus")]
    writer.writerow([*_HEAD, *map(as_text, names), *_TAIL])
    for row in summary.rows:
        cells = [
            x for c in row.cells
            for x in ("" if c.measured is None else repr(c.measured), c.state, repr(c.bonus) if c.bonus else "")
        ]  # fmt: skip
        head = [as_text(getattr(row, name)) for name in _HEAD]
        writer.writerow(["" if x is None else x for x in (*head, *cells, *_tail(row))])
    writer.writerow([])
    writer.writerow(["scan", "state", "reason"])
    for s in summary.samples:
        writer.writerow([as_text(s.scan), "failed" if s.reason else _said(s.counts), as_text(s.reason)])
    return out.getvalue().encode("utf-8")


def _said(counts: dict[str, int]) -> str:
    return ", ".join(f"{n} {_STATE_WORDS.get(k, k)}" for k, n in counts.items() if n)


def summary_json(summary: Summary) -> bytes:
    """Return the summary as a document."""
    return (json.dumps({"schema_version": 1, **asdict(summary)}, indent=1) + "\n").encode()


def summary_xlsx(summary: Summary) -> bytes:
    """Return the summary as a workbook: values with their states by colour and sign, and the scans."""
    import xlsxwriter

    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    bold = book.add_format({"bold": True, "bottom": 1})
    number = {"num_format": "0.000"}
    plain = book.add_format(number)
    looks = {
        "within": plain,
        "near": book.add_format({**number, "bg_color": "#F3E3C0"}),
        "outside": book.add_format({**number, "bg_color": "#F0D0CA", "bold": True}),
        "undecided": book.add_format({**number, "italic": True}),
        "not_measured": book.add_format({"font_color": "#7A8085", "italic": True}),
    }
    sheet = book.add_worksheet("characteristics")
    sheet.write_row(0, 0, [*_HEAD, *(s.name for s in summary.samples), *_TAIL], bold)
    sheet.freeze_panes(1, 2)
    sheet.set_column(1, 1, 34)
    sheet.set_column(len(_HEAD), len(_HEAD) + len(summary.samples) - 1, 12)
    for k, row in enumerate(summary.rows, 1):
        for column, name in enumerate(_HEAD):
            _write(sheet, k, column, getattr(row, name), plain)
        for column, cell in enumerate(row.cells, len(_HEAD)):
            look = looks.get(cell.state, plain)
            sheet.write(k, column, "not measured" if cell.measured is None else cell.measured, look)
            said = [x for x in ("outside" if cell.state == "outside" else "",
                                f"bonus {cell.bonus:+.4f}" if cell.bonus else "") if x]  # fmt: skip
            if said:
                sheet.write_comment(k, column, ", ".join(said))
        for column, value in enumerate(_tail(row), len(_HEAD) + len(row.cells)):
            _write(sheet, k, column, value, plain)
    scans = book.add_worksheet("scans")
    scans.write_row(0, 0, ["name", "scan", *(_STATE_WORDS[s] for s in looks), "seconds", "reason"], bold)
    scans.set_column(0, 1, 40)
    for k, s in enumerate(summary.samples, 1):
        counts = [s.counts.get(state, 0) if not s.reason else "" for state in looks]
        scans.write_row(k, 0, [s.name, s.scan, *counts, round(s.seconds, 2), s.reason])
    book.close()
    return out.getvalue()


def _write(sheet: Any, row: int, column: int, value: object, look: Any) -> None:
    if isinstance(value, str):
        sheet.write_string(row, column, value)
    elif isinstance(value, int):
        sheet.write_number(row, column, value)
    elif isinstance(value, float):
        sheet.write_number(row, column, value, look)
