"""Names that look like formulas, and names of any length, in tables and reports."""

import csv
import io

import pytest
from openpyxl import load_workbook

from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.drawing.fitting import fitting
from truegauge.formats.results import results_csv
from truegauge.formats.results_xlsx import results_xlsx
from truegauge.jobs.records import Record
from truegauge.jobs.summary import summarize, summary_csv

NAMES = ('=HYPERLINK("http://x")', "+1+1", "-2+3", "@SUM(A1)", "\tx", "a plain name", "x" * 40_000)


def evaluated(evaluator, plan, sample, name):
    return evaluator.evaluate(EditCharacteristic("c1", (("name", name),)).apply(plan), sample)


@pytest.mark.parametrize("name", NAMES)
def test_names_are_text_in_tables(evaluator, plan, sample, name):
    evaluation = evaluated(evaluator, plan, sample, name)
    row = next(csv.DictReader(io.StringIO(results_csv(evaluation, sample).decode())))
    assert not row["name"].startswith(("=", "+", "-", "@", "\t"))
    assert name[:1000] in row["name"]
    assert float(row["measured"]) == evaluation.results[0].measured  # numbers stay numbers
    sheet = load_workbook(io.BytesIO(results_xlsx(evaluation, sample)))["results"]
    cell = next(c for r in sheet.iter_rows() for c in r if isinstance(c.value, str) and c.value[:8] == name[:8])
    assert cell.data_type == "s"


def test_scans_with_names_like_formulas_are_text_in_a_summary():
    record = Record("=cmd", "=cmd.ply", "k", reason="-no")
    rows = list(csv.reader(io.StringIO(summary_csv(summarize([record])).decode())))
    assert rows[0][7] == "'=cmd"
    assert rows[-1][0] == "'=cmd.ply"
    assert rows[-1][2] == "'-no"


def test_a_text_is_cut_to_what_fits_with_few_looks():
    looks = []

    def fits(text):
        looks.append(text)
        return len(text) <= 30

    assert fitting("short", fits) == "short"
    long = "name " * 2000
    cut = fitting(long, fits)
    assert cut.endswith("…")
    assert 25 <= len(cut) <= 30
    assert long.startswith(cut[:-1])
    assert len(looks) < 20
    assert fitting("word", lambda text: False) == ""


def test_a_report_with_names_of_ten_thousand_letters_is_made(evaluator, plan, sample):
    from truegauge.rendering.report_views import report_with_views
    from truegauge.reporting.pdf import write_pdf

    changed = plan
    for k in range(1, 11):
        changed = EditCharacteristic(f"c{k}", (("name", f"{k} " + "long name " * 1000),)).apply(changed)
    report = report_with_views(evaluator, evaluator.evaluate(changed, sample), sample, "2026-11-28 12:00")
    assert write_pdf(report).startswith(b"%PDF")
