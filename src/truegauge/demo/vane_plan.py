"""The plan of the demo's vane: aligned by its root, nine sections, bands by zone."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge import demo
from truegauge.core.authoring.blades import set_blade
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.plan.alignments import AlignmentDatum, BestFitAlignment, DatumAlignment, GivenAlignment
from truegauge.core.plan.blades import BladeBand, BladeCheck, BladeSection
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.requirements import Datum
from truegauge.core.plan.title import TitleBlock
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.demo.faces import plane_at
from truegauge.demo.vane import ROOT, VaneErrors, vane_trace
from truegauge.formats.files import content_key

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel

AEROFOIL = "aerofoil"
TRACED = (25.0, 50.0, 75.0)  # mm: heights that a machine goes around the vane at
_TIP = 1.0  # mm
_HEIGHTS = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 70.0, 80.0, 90.0)
_VALUES = ("chord_mean_line", "chord_angle", "leading_radius", "trailing_radius", "max_thickness",
           "trailing_thickness_2", "profile_beyond.all.after", "fit_turn")  # fmt: skip
_BANDS = (("leading", 0.08), ("trailing", 0.06), ("pressure", 0.05), ("suction", 0.05))


def vane_plan(model: CadModel) -> Plan:
    """Return it."""
    faces = {"top": ("root, upper face", plane_at(model, (0, 0, 1), 0.0)),
             "side": ("root, long side", plane_at(model, (0, -1, 0), ROOT[1] / 2)),
             "end": ("root, end", plane_at(model, (-1, 0, 0), ROOT[0] / 2))}  # fmt: skip
    features = tuple(NominalFeature(id=k, name=name, faces=(own,)) for k, (name, own) in faces.items())
    datums = tuple(Datum(letter=x, feature=f.id) for x, f in zip("ABC", features, strict=True))
    free = max((f for f in model.faces if f.surface.kind == SurfaceKind.BSPLINE), key=lambda f: f.area)
    aerofoil = NominalFeature(id=AEROFOIL, name="aerofoil", faces=(free.index,))
    by_root = DatumAlignment(
        id="root", name="Root A B C", base="a1", datums=tuple(AlignmentDatum(feature=f.id) for f in features)
    )
    given = GivenAlignment(id="machine", name="As the machine has it")
    block = TitleBlock(
        title="Cooling-fan vane", part_number="LW-1330", drawing="LW-1330-A", customer="Larkspur Instrument Works",
        inspector="R. Fenwright",
    )  # fmt: skip
    part = PartReference(file_name=demo.VANE_PART.name, sha256=content_key(demo.VANE_PART.read_bytes()))
    plan = Plan(name="LW-1330", part=part, title_block=block, features=(*features, aerofoil), datums=datums,
                alignments=(BestFitAlignment(), by_root, given), in_force="root")  # fmt: skip
    blade = BladeCheck(
        id="vane", name="vane", edge_distances=(2.0,), wavelength=8.0,
        bands=tuple(BladeBand(zone=z, lower=-t, upper=t) for z, t in _BANDS),  # type: ignore[arg-type]
        sections=tuple(BladeSection(id=f"z{h:g}", height=h) for h in _HEIGHTS),
    )  # fmt: skip
    return set_blade(Evaluator(model).context(plan, None), blade, _VALUES).apply(plan)


def traces_of_vane(errors: VaneErrors) -> Sample:
    """Return what a machine touched going around a vane at some heights, in part coordinates."""
    probed = []
    for row, height in enumerate(TRACED):
        centers, ways = vane_trace(height, radius=_TIP, errors=errors)
        for place, way in zip(centers.round(5).tolist(), ways.round(6).tolist(), strict=True):
            probed.append(ProbedTouch(place=tuple(place), approach=tuple(way), radius=_TIP, feature=AEROFOIL,
                                      stylus="A", row=row))  # fmt: skip
    return Sample.of(SampleData(name="LW-1330-0012, traced", serial="0012", probed=tuple(probed)), origin="vane-traces")
