"""Results out as a workbook."""

import io

from truegauge.core.evaluation.results import Evaluation
from truegauge.core.samples.sample import Sample
from truegauge.formats.results import results_document
from truegauge.formats.table_text import cell_text

_COLUMNS = ("number", "name", "kind", "unit", "nominal", "lower", "upper", "measured", "deviation", "state", "warning",
            "datum_system", "modifiers", "definition", "fit", "bonus", "uncertainty", "coverage", "decision",
            "general_tolerance", "alignment", "surface", "reason")  # fmt: skip
_FILLS = {"near": "#F3E3C0", "outside": "#F0D0CA"}


def results_xlsx(evaluation: Evaluation, sample: Sample | None) -> bytes:
    """Return results.xlsx: one row a characteristic, numbers as numbers, the state in words and by colour."""
    import xlsxwriter

    document = results_document(evaluation, sample)
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    bold = book.add_format({"bold": True, "bottom": 1})
    looks = {state: book.add_format({"num_format": "0.0000", "bg_color": color}) for state, color in _FILLS.items()}
    plain = book.add_format({"num_format": "0.0000"})
    sheet = book.add_worksheet("results")
    for row, name in enumerate(("plan", "plan_revision", "sample", "temperature", "partial")):
        sheet.write_string(row, 0, name.replace("_", " "), bold)
        value = document[name]
        if isinstance(value, int | float):
            sheet.write_number(row, 1, value)
        else:  # never `write`, which takes what begins with = for a formula
            sheet.write_string(row, 1, cell_text(str(value or "")))
    top = 6
    sheet.write_row(top, 0, [c.replace("_", " ") for c in _COLUMNS], bold)
    sheet.freeze_panes(top + 1, 2)
    sheet.set_column(1, 1, 34)
    sheet.set_column(4, 9, 12)
    for row, c in enumerate(document["characteristics"], top + 1):
        look = looks.get(c["state"], plain)
        for column, name in enumerate(_COLUMNS):
            value = c[name]
            if isinstance(value, int | float):
                sheet.write_number(row, column, value, None if name == "number" else look)
            elif value:
                sheet.write_string(row, column, cell_text(str(value)), look if name == "state" else None)
    sheet.autofilter(top, 0, top + len(document["characteristics"]), len(_COLUMNS) - 1)
    book.close()
    return out.getvalue()
