"""The report as one HTML file: pictures inside, no script, readable without a connection."""

import base64
import io

import numpy as np

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_text, has_frame
from truegauge.drawing.gauge_bar import BarColors, draw_gauge_bar
from truegauge.drawing.svg_surface import SvgSurface
from truegauge.drawing.units import limits_text
from truegauge.palette import hexadecimal, scale_bands
from truegauge.reporting.report import Report, ReportSection, ReportView

_STATES = {
    State.WITHIN: "within", State.NEAR: "near a limit", State.OUTSIDE: "outside", State.UNDECIDED: "not decided yet",
    State.NOT_MEASURED: "not measured",
}  # fmt: skip
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
figure img, figure svg.section { max-width: 100%; background: #fff } table { border-collapse: collapse; width: 100% }
td, th { padding: .3rem .5rem; border-bottom: 1px solid #C9C4B6; text-align: left } .n { text-align: right;
  font-variant-numeric: tabular-nums } .m { font-weight: bold } .scale span { display: inline-block; width: 2.4rem;
  height: .9rem }
</style></head><body>
<h1>Inspection report <span>{{ r.title.part_number or r.plan_name }}</span></h1>
<dl>{% for name, value in pairs %}<dt>{{ name }}</dt><dd>{{ value or "-" }}</dd>{% endfor %}</dl>
{% for line in r.alignment %}<p class="{{ 'bad' if line.startswith('Not') else 'soft' }}">{{ line }}</p>{% endfor %}
<p class="soft">{{ r.statistics }}</p>
<p class="counts">{% for word, count in counts %}<span><b>{{ count }}</b> {{ word }}</span>{% endfor %}</p>
{% for f in figures %}<figure><figcaption><b>{{ f.name }}</b> <span class="soft">{{ f.note }}</span></figcaption>
{{ f.picture }}{% if f.scale %}<p class="scale">{% for c, text in f.scale %}<span style="background:{{ c }}"></span>
<small>{{ text }}</small> {% endfor %}</p>{% endif %}
{% if f.tags %}<ul>{% for t in f.tags %}<li>{{ t }}</li>{% endfor %}</ul>{% endif %}</figure>{% endfor %}
<h2>Characteristics ({{ r.numbers.unit }})</h2>
<table><tr><th>No.</th><th>Characteristic</th><th class="n">Nominal</th><th class="n">Limits</th>
<th class="n">Measured</th><th class="n">Deviation</th><th></th><th>State</th></tr>
{% for row in rows %}<tr><td>{{ row.number }}</td><td>{{ row.name }}<br><small class="soft">{{ row.aside }}</small></td>
<td class="n">{{ row.nominal }}</td><td class="n">{{ row.limits }}</td><td class="n m">{{ row.measured }}</td>
<td class="n">{{ row.deviation }}</td><td>{{ row.bar }}</td>
<td class="{{ 'bad' if row.outside else '' }}">{{ row.state }}</td></tr>{% endfor %}</table>
<p class="soft">True Gauge, {{ r.plan_name }}, revision {{ r.plan_revision }}</p></body></html>
"""
_COLORS = {State.WITHIN: "#1E7F86", State.NEAR: "#C98A12", State.OUTSIDE: "#BF3A2B", State.UNDECIDED: "#C98A12",
           State.NOT_MEASURED: "#7A8085"}  # fmt: skip


def write_html(report: Report) -> bytes:
    """Return the report as HTML."""
    from jinja2 import Environment
    from markupsafe import Markup

    t = report.title
    pairs = (("Part", t.title), ("Part number", t.part_number), ("Drawing", t.drawing), ("Sample", report.sample_name),
             ("Customer", t.customer), ("Inspector", t.inspector), ("Plan revision", str(report.plan_revision)),
             ("Report made", report.made_at))  # fmt: skip
    figures = [_view(v, report) for v in report.views] + [_section(s) for s in report.sections]
    for figure in figures:
        figure["picture"] = Markup(figure["picture"])  # made here, words in it are escaped
    page = Environment(autoescape=True).from_string(_PAGE).render(
        r=report, pairs=pairs, counts=[(_STATES[s], n) for s, n in report.counts.items()], figures=figures,
        rows=[_row(x, report) for x in report.results],
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
        "bar": Markup(_bar(result)), "state": _STATES[result.state], "outside": result.state == State.OUTSIDE,
    }  # fmt: skip


def _bar(result: Result) -> str:
    surface = SvgSurface(120, 18)
    draw_gauge_bar(surface, (0, 1, 120, 16), result, BarColors("#E6E0D0", "#A59F8F", _COLORS[result.state]))
    return surface.picture()


def _view(view: ReportView, report: Report) -> dict[str, object]:
    from PIL import Image

    stored = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(view.picture[:, :, :3])).save(stored, "JPEG", quality=86)
    data = base64.b64encode(stored.getvalue()).decode()
    scale = None
    if view.scale is not None:
        b = scale_bands(view.scale)
        ends = zip(b.edges, b.edges[1:], strict=False)
        scale = [
            (hexadecimal(c), f"{report.numbers.signed(low)} to {report.numbers.signed(high)}")
            for c, (low, high) in zip(b.colors, ends, strict=True)
        ]
    note = f"needles {view.needles:,.0f} times" if view.needles else ""
    tags = [" ".join(x for x in (t.text.title, t.text.value, t.text.detail, *t.text.lines) if x) for t in view.tags]
    picture = f'<img alt="picture of the part" src="data:image/jpeg;base64,{data}">'
    return {"name": view.name, "picture": picture, "scale": scale, "note": note, "tags": tags}


def _section(section: ReportSection) -> dict[str, object]:
    from markupsafe import escape

    d = section.drawing
    x0, y0, x1, y1 = d.box
    size = max(x1 - x0, y1 - y0, 1e-9)
    pad = 0.06 * size
    colors = {"nominal": "#1F2A33", "measured": "#5C666E", "dimension": "#A87B24", "fit": "#A87B24"}
    parts = [
        f'<path d="M{a[0]:.4f} {-a[1]:.4f}L{b[0]:.4f} {-b[1]:.4f}" stroke="{hexadecimal(tuple(int(v) for v in c))}"/>'  # type: ignore[arg-type]
        for (a, b), c in zip(d.needles, d.needle_colors, strict=True)
    ]
    for stroke in d.strokes:
        way = "L".join(f"{x:.4f} {-y:.4f}" for x, y in stroke.points)
        parts.append(f'<path d="M{way}" stroke="{colors[stroke.role]}" fill="none"/>')
    for words in d.words:
        place = f'x="{words.at[0]:.4f}" y="{-words.at[1]:.4f}" font-size="{0.022 * size:.4f}"'
        parts.append(f'<text {place} text-anchor="middle" stroke="none" fill="#1F2A33">{escape(words.text)}</text>')
    box = f"{x0 - pad:.4f} {-y1 - pad:.4f} {x1 - x0 + 2 * pad:.4f} {y1 - y0 + 2 * pad:.4f}"
    picture = (
        f'<svg class="section" width="1000" viewBox="{box}" stroke-width="{0.0012 * size:.5f}">{"".join(parts)}</svg>'
    )
    note = d.reason or f"needles {d.magnification:,.0f} times, nominal values in brackets"
    return {"name": d.name, "picture": picture, "scale": None, "note": note, "tags": []}
