"""The report as one HTML file: pictures inside, no script, readable without a connection."""

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_text, has_frame
from truegauge.drawing.gauge_bar import BarColors, draw_gauge_bar
from truegauge.drawing.surface_figure import draw_cut, draw_flat
from truegauge.drawing.surface_numbers import tag_texts
from truegauge.drawing.svg_surface import SvgSurface
from truegauge.drawing.tag_layout import Box
from truegauge.drawing.units import limits_text
from truegauge.reporting.figures import (
    FLAT_COLORS,
    MOST_CURVES,
    STATE_COLORS,
    STATE_WORDS,
    draw_blade_curves,
    draw_blade_figure,
    draw_section_figure,
    draw_shadow,
    draw_view,
    shadow_height,
    view_height,
)
from truegauge.reporting.report import Report, ReportBlade, ReportSection, ReportShadow, ReportView
from truegauge.reporting.surface_sheet import HEADS, SurfaceSheet

_PAGE = """<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Inspection report: {{ r.plan_name }}</title>
<style>
body { font: 15px/1.45 B612, "DejaVu Sans", sans-serif; color: #1F2A33; background: #F6F4EF; margin: 2rem auto;
  max-width: 1100px; padding: 0 1rem }
h1 { border-bottom: 2px solid #A87B24; font-size: 1.5rem } h1 span { float: right; color: #A87B24 }
h2 { font-size: 1.1rem; margin-top: 2rem } dl { display: grid; grid-template-columns: 9rem 1fr 9rem 1fr; gap: .2rem }
dt { color: #5C666E } dd { margin: 0 } .soft { color: #5C666E } .bad { color: #BF3A2B; font-weight: bold }
.counts { display: flex; gap: 2rem } .counts b { font-size: 1.8rem } figure { margin: 1.5rem 0 }
svg.figure { width: 100%; height: auto; background: #fff } table { border-collapse: collapse; width: 100% }
td, th { padding: .3rem .5rem; border-bottom: 1px solid #C9C4B6; text-align: left } .n { text-align: right;
  font-variant-numeric: tabular-nums } .m { font-weight: bold }
</style></head><body>
<h1>Inspection report <span>{{ r.title.part_number or r.plan_name }}</span></h1>
<dl>{% for name, value in pairs %}<dt>{{ name }}</dt><dd>{{ value or "-" }}</dd>{% endfor %}</dl>
{% for line in r.alignment %}<p class="{{ 'bad' if line.startswith('Not') else 'soft' }}">{{ line }}</p>{% endfor %}
<p class="soft">{{ r.statistics }}</p>
<p class="counts">{% for word, count in counts %}<span><b>{{ count }}</b> {{ word }}</span>{% endfor %}</p>
{% for f in figures %}<figure><figcaption><b>{{ f.name }}</b></figcaption>
{{ f.picture }}
{% if f.tags %}<ul>{% for t in f.tags %}<li>{{ t }}</li>{% endfor %}</ul>{% endif %}</figure>{% endfor %}
{% if rows %}<h2>Characteristics ({{ r.numbers.unit }})</h2>
<table><tr><th>No.</th><th>Characteristic</th><th class="n">Nominal</th><th class="n">Limits</th>
<th class="n">Measured</th><th class="n">Deviation</th><th></th><th>State</th></tr>
{% for row in rows %}<tr><td>{{ row.number }}</td><td>{{ row.name }}<br><small class="soft">{{ row.aside }}</small></td>
<td class="n">{{ row.nominal }}</td><td class="n">{{ row.limits }}</td><td class="n m">{{ row.measured }}</td>
<td class="n">{{ row.deviation }}</td><td>{{ row.bar }}</td>
<td class="{{ 'bad' if row.outside else '' }}">{{ row.state }}</td></tr>{% endfor %}</table>{% endif %}
{% for sheet in sheets %}<h2>Surface: {{ sheet.name }}</h2>
{% for line in sheet.words %}<p class="{{ 'bad' if line.startswith('Not') else 'soft' }}">{{ line }}</p>{% endfor %}
{% if sheet.limits %}<table>{% for words, limit, value, of, state in sheet.limits %}<tr><td>{{ words }}</td>
<td class="n">{{ limit }}</td><td class="n m">{{ value }}</td><td>{{ of }}</td>
<td class="{{ 'bad' if state == 'outside' else '' }}">{{ state_words[state] }}</td></tr>{% endfor %}</table>{% endif %}
{% if sheet.picture %}<figure>{{ sheet.picture }}</figure>{% endif %}
{% if sheet.rows %}<table><tr>{% for head in heads %}<th class="{{ 'n' if loop.index > 2 else '' }}">{{ head }}</th>
{% endfor %}</tr>{% for row in sheet.rows %}<tr class="{{ 'bad' if loop.index0 in sheet.bad else '' }}">
{% for cell in row %}<td class="{{ 'n' if loop.index > 2 else '' }}">{{ cell }}</td>{% endfor %}</tr>{% endfor %}
</table>{% endif %}
{% for f in sheet.close %}<figure><figcaption><b>{{ f.name }}</b></figcaption>{{ f.picture }}</figure>{% endfor %}
{% endfor %}
<p class="soft">True Gauge, {{ r.plan_name }}, revision {{ r.plan_revision }}</p></body></html>
"""
_WIDE, _SECTION_HIGH, _CLOSE_HIGH, _PANEL_HIGH = 1060.0, 620.0, 380.0, 300.0  # pixels


def write_html(report: Report) -> bytes:
    """Return the report as HTML."""
    from jinja2 import Environment
    from markupsafe import Markup

    t = report.title
    pairs = (("Part", t.title), ("Part number", t.part_number), ("Drawing", t.drawing), ("Sample", report.sample_name),
             ("Customer", t.customer), ("Inspector", t.inspector), ("Plan revision", str(report.plan_revision)),
             ("Report made", report.made_at))  # fmt: skip
    figures = [_view(v, report) for v in report.views] + [_section(s, report) for s in report.sections]
    if report.shadow is not None:
        figures.insert(0, _shadow(report.shadow, report))
    figures += [figure for blade in report.blades for figure in _blade(blade, report)]
    for figure in figures:
        figure["picture"] = Markup(figure["picture"])  # made here, words in it are escaped
    page = Environment(autoescape=True).from_string(_PAGE).render(
        r=report, pairs=pairs, counts=[(STATE_WORDS[s], n) for s, n in report.counts.items()], figures=figures,
        rows=[_row(x, report) for x in report.results], sheets=[_sheet(x, report) for x in report.sheets],
        heads=HEADS, state_words=STATE_WORDS,
    )  # fmt: skip
    return page.encode("utf-8")


def _row(result: Result, report: Report) -> dict[str, object]:
    from markupsafe import Markup

    c, n = result.characteristic, report.numbers.of(result.characteristic.kind)
    one_sided = kind_named(c.kind).one_sided
    asides = [
        frame_text(c, n) if has_frame(c) else "",
        c.fit,
        result.definition,
        result.decision if result.state in (State.NEAR, State.UNDECIDED) else "",
        result.general,
        result.warning,
        result.reason,
    ]
    return {
        "number": c.number, "name": c.name, "aside": "; ".join(a for a in asides if a),
        "nominal": "" if one_sided else n.value(c.nominal),
        "limits": limits_text(n, c.nominal, result.lower, result.upper),
        "measured": "" if result.measured is None else n.value(result.measured),
        "deviation": "" if result.deviation is None or one_sided else n.signed(result.deviation),
        "bar": Markup(_bar(result)), "state": STATE_WORDS[result.state], "outside": result.state == State.OUTSIDE,
    }  # fmt: skip


def _sheet(sheet: SurfaceSheet, report: Report) -> dict[str, object]:
    from markupsafe import Markup

    found, numbers, depth = sheet.found, report.numbers, sheet.check.least
    if found is None:
        return {"name": sheet.check.name, "words": sheet.words(numbers), "bad": ()}
    surface = SvgSurface(_WIDE, _SECTION_HIGH)
    words = tag_texts(found.imperfections, sheet.check.tags, numbers)
    draw_flat(surface, (0, 0, _WIDE, _SECTION_HIGH), found, numbers, depth, FLAT_COLORS, bad=sheet.bad, words=words,
              fine=1.5)  # fmt: skip
    close = []
    for k in sheet.close:
        one, own = found.imperfections[k], SvgSurface(_WIDE, _CLOSE_HIGH)
        draw_flat(
            own, (0, 0, _CLOSE_HIGH, _CLOSE_HIGH), found, numbers, depth, FLAT_COLORS, close=k, bad=sheet.bad, fine=1.5
        )
        left, high = _CLOSE_HIGH + 20, (_CLOSE_HIGH - 16) / 2
        for row, across in enumerate((False, True)):
            box = (left, row * (high + 16), _WIDE - left, high)
            draw_cut(own, box, found, one, numbers, sheet.check.levels, FLAT_COLORS, 12.0, across=across)
        name = sheet.close_words(k, numbers)
        close.append({"name": name, "picture": Markup(own.picture("figure"))})
    return {
        "name": sheet.check.name, "words": sheet.words(numbers), "limits": sheet.limit_rows(numbers), "bad": sheet.bad,
        "rows": sheet.rows(numbers), "picture": Markup(surface.picture("figure")), "close": close,
    }  # fmt: skip


def _bar(result: Result) -> str:
    surface = SvgSurface(120, 18)
    draw_gauge_bar(surface, (0, 1, 120, 16), result, BarColors("#E6E0D0", "#A59F8F", STATE_COLORS[result.state]))
    return surface.picture()


def _view(view: ReportView, report: Report) -> dict[str, object]:
    height = view_height(view, _WIDE, _WIDE, 1.0)
    surface = SvgSurface(_WIDE, height)
    draw_view(surface, view, Box(0, 0, _WIDE, height), report.numbers)
    tags = [" ".join(x for x in (t.text.title, t.text.value, t.text.detail, *t.text.lines) if x) for t in view.tags]
    return {"name": view.name, "picture": surface.picture("figure"), "tags": tags}


def _shadow(shadow: ReportShadow, report: Report) -> dict[str, object]:
    height = shadow_height(shadow, _WIDE, _WIDE)
    surface = SvgSurface(_WIDE, height)
    draw_shadow(surface, shadow, Box(0, 0, _WIDE, height), report.numbers)
    return {"name": "Silhouette", "picture": surface.picture("figure"), "tags": []}


def _blade(blade: ReportBlade, report: Report) -> list[dict[str, object]]:
    made: list[dict[str, object]] = []
    if blade.curves:
        high = _PANEL_HIGH * ((min(len(blade.curves), MOST_CURVES) + 2) // 3)
        surface = SvgSurface(_WIDE, high)
        draw_blade_curves(surface, blade, Box(0, 0, _WIDE, high), report.numbers)
        words = [blade.words] if blade.words else []
        made.append({"name": f"{blade.name}: over the height", "picture": surface.picture("figure"), "tags": words})
    for page in blade.sections:
        surface = SvgSurface(_WIDE, _SECTION_HIGH)
        draw_blade_figure(surface, page, Box(0, 0, _WIDE, _SECTION_HIGH), report.numbers)
        made.append({"name": page.sheet.title, "picture": surface.picture("figure"), "tags": []})
    return made


def _section(section: ReportSection, report: Report) -> dict[str, object]:
    surface = SvgSurface(_WIDE, _SECTION_HIGH)
    draw_section_figure(surface, section, Box(0, 0, _WIDE, _SECTION_HIGH), report.numbers)
    return {"name": section.drawing.name, "picture": surface.picture("figure"), "tags": []}
