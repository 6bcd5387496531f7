"""Every command on a whole plan: what it says it does, nothing else, and undone without a trace."""

import importlib
import inspect
import pkgutil
from types import SimpleNamespace

import pytest

import truegauge.core.commands as package
from truegauge import demo
from truegauge.core.clouds.recipe import Outliers
from truegauge.core.commands.history import History
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.plan.alignments import BestFitAlignment
from truegauge.core.plan.blades import BladeCheck, BladeSection, BladeValue
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.kept import KeptStatement
from truegauge.core.plan.part import PartMaterial, PartReference
from truegauge.core.plan.points import Extraction, PointLimits
from truegauge.core.plan.readings import ComparedPoint, Section, SectionDimension, Span, SpotCheck
from truegauge.core.plan.readouts import Readout
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.plan.silhouette import ShadowBox, ShadowEdge, ShadowSize, Silhouette
from truegauge.core.plan.surface_checks import SurfaceCheck
from truegauge.core.plan.title import TitleBlock
from truegauge.core.plan.views import Eye, SavedView, TagSettings
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.demo.cmm_plan import demo_probing
from truegauge.formats.plan_file import read_plan


def every_command():
    """Every class of the commands with a pure function of a plan, by name."""
    found = {}
    for module in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
        for name, kind in inspect.getmembers(importlib.import_module(module.name), inspect.isclass):
            if kind.__module__ == module.name and callable(getattr(kind, "apply", None)) and name != "Command":
                found[name] = kind
    return found


c = r = p = SimpleNamespace(**every_command())
EYE = Eye(target=(0.0, 0.0, 0.0), back=(0.0, 0.0, 1.0), up=(0.0, 1.0, 0.0), height=100.0)
NEW = NominalFeature(id="new", name="new face", faces=(3,))
SPOT = SpotCheck(id="s-new", name="spot", place=(1.0, 2.0, 3.0), normal=(0.0, 0.0, 1.0))
POINT = ComparedPoint(id="p-new", name="P9", place=(1.0, 2.0, 3.0))
SPAN = Span(at=(1.0, 2.0), fits="circle")
DIMENSION = SectionDimension(id="d-new", name="radius", kind="radius", spans=(SPAN,))
THERE = DIMENSION.replace(id="d-there")
COUNT = 44
CHORD = BladeValue(id="chord", name="chord", what="chord_mean_line")
BLADE = BladeCheck(id="b0", sections=(BladeSection(id="low", height=20.0, values=(CHORD,)),
                                      BladeSection(id="high", height=40.0)))  # fmt: skip
SIDES = tuple(ShadowEdge(id=k, name=k, look=ShadowBox(x=0.0, y=y, turn=1.5, reach=1.0, wide=1.0))
              for k, y in (("above", 1.0), ("below", -1.0)))  # fmt: skip
SHADOW = Silhouette(edges=SIDES, sizes=(ShadowSize(id="size", name="size", what="size", of=("above", "below")),))
ROUTE = Route(steps=(MeasureStep(id="m-base", feature="base"),))
SECTION = Section(id="cut", name="cut", origin=(0.0, 0.0, 5.0), normal=(0.0, 0.0, 1.0))


def required(plan, of, kind="spot", number=None):
    return Characteristic(id="c-new", number=number or plan.next_number, name="new", kind=kind, features=(of,),
                          nominal=0.0, lower=-0.1, upper=0.1)  # fmt: skip


@pytest.fixture(scope="module")
def base():
    """The plan of the housing, with a section, a spot check and a saved view more."""
    plan = read_plan(demo.PLAN).plan
    plan = r.AddReadings("more", spots=(SPOT.replace(id="s0"),), characteristics=(
        required(plan, "s0").replace(id="c-s0"),)).apply(plan)  # fmt: skip
    plan = r.SetSections((SECTION.replace(id="cut0"), SECTION.replace(id="cut1"))).apply(plan)
    there = required(plan, "d-there", "section_radius").replace(id="c-there")
    plan = r.AddDimension("cut1", THERE, there).apply(plan)
    plan = p.SetReadout(Readout(id="r0")).apply(plan)
    plan = p.SetSurfaceCheck(SurfaceCheck(id="k0")).apply(plan)
    chord = required(plan, "chord", "blade_chord_mean_line").replace(id="c-chord")
    plan = p.SetBlade(BLADE, added=(chord,)).apply(plan)
    return r.SetViews((SavedView(id="v0", name="view", eye=EYE),)).apply(plan)


def commands(plan):
    """Each command with the fields of the plan that it may change, and what is true afterwards."""
    first, feature = plan.characteristics[0], plan.features[0]
    view = SavedView(id="v9", name="other", eye=EYE)
    with_cut = required(plan, "d-new", "section_radius")
    return [
        (c.SetPart(PartReference(file_name="b.step", sha256="9" * 64), "b"), None,
         lambda q: q.part.file_name == "b.step" and not q.features),
        (c.SetDatum("Q", feature.id), {"datums"}, lambda q: q.datum("Q").feature == feature.id),
        (c.SetDatum("A", ""), {"datums"}, lambda q: not q.has_datum("A")),
        (c.Several((c.AddFeature(NEW), c.SetDatum("Q", "new")), "both"), {"features", "datums"},
         lambda q: q.datum("Q").feature == "new"),
        (c.AddCharacteristic(required(plan, "new", "flatness"), (NEW,)), {"features", "characteristics"},
         lambda q: q.characteristic("c-new").features == ("new",)),
        (c.AddFeature(NEW), {"features"}, lambda q: q.feature("new") == NEW),
        (c.AddConstructed(ConstructedFeature(id="m", name="m", construction="midpoint", members=(feature.id, "new")),
                          (NEW,)), {"features", "constructed"}, lambda q: q.feature("m").members[1] == "new"),
        (c.EditFeature(feature.id, (("name", "floor"),)), {"features"},
         lambda q: q.feature(feature.id).name == "floor"),
        (c.EditCharacteristic(first.id, (("upper", 0.5),)), {"characteristics"},
         lambda q: q.characteristic(first.id).upper == 0.5),
        (c.RemoveCharacteristic("c-s0"), {"characteristics", "spots"},
         lambda q: all(s.id != "s0" for s in q.spots) and len(q.spots) == len(plan.spots) - 1),
        (c.RemoveFeature(feature.id), {"features", "constructed", "datums", "characteristics", "alignments", "tags",
                                       "views", "probing"}, lambda q: not q.has_feature(feature.id)),
        (c.SetScale(DeviationScale(limit=0.7, tolerance=0.2)), {"scale"}, lambda q: q.scale.limit == 0.7),
        (c.SetAlignment(BestFitAlignment(id="a9", name="other"), in_force=True), {"alignments", "in_force"},
         lambda q: q.alignment().name == "other"),
        (c.RemoveAlignment(plan.in_force), {"alignments", "in_force", "characteristics"},
         lambda q: not q.has_alignment(plan.in_force)),
        (c.SetInForce(next(a.id for a in plan.alignments if a.id != plan.in_force)), {"in_force"},
         lambda q: q.in_force != plan.in_force),
        (c.SetRules((("standard", "ASME"),)), {"standard"}, lambda q: q.standard == "ASME"),
        (c.SetMaterial(PartMaterial(name="brass", expansion=1.9e-5)), {"material"},
         lambda q: q.material.name == "brass"),
        (c.SetRecipe((Outliers(),)), {"recipe"}, lambda q: q.recipe == (Outliers(),)),
        (c.SetLimits(PointLimits(max_distance=0.3)), {"limits"}, lambda q: q.limits.max_distance == 0.3),
        (c.SetDisplay((("unit", "inch"),)), {"unit"}, lambda q: q.unit == "inch"),
        (c.SetTitleBlock(TitleBlock(title="T")), {"title_block"}, lambda q: q.title_block.title == "T"),
        (r.AddReadings("more", (SPOT,), (POINT,), (required(plan, "s-new"),)), {"spots", "compared", "characteristics"},
         lambda q: q.reading("p-new") == POINT and q.characteristic("c-new").features == ("s-new",)),
        (r.SetSections((SECTION, SECTION.replace(id="cut0", name="renamed"))), {"sections"},
         lambda q: [s.name for s in q.sections][-2:] == ["cut", "cut"] and q.section("cut0").name == "renamed"),
        (r.RemoveSection("cut0"), {"sections", "characteristics"}, lambda q: all(s.id != "cut0" for s in q.sections)),
        (r.EditDimension("cut1", THERE.replace(value_at=(3.0, 4.0)), 7.0), {"sections", "characteristics"},
         lambda q: q.reading("d-there").value_at == (3.0, 4.0) and q.characteristic("c-there").nominal == 7.0),
        (r.AddDimension("cut0", DIMENSION, with_cut), {"sections", "characteristics"},
         lambda q: q.section_with("d-new").id == "cut0"),
        (r.RemoveCharacteristics(frozenset(("c-s0", first.id))), {"characteristics", "spots", "tags", "views"},
         lambda q: len(q.characteristics) == len(plan.characteristics) - 2),
        (r.SetExtraction(Extraction(reach=0.9)), {"extraction"}, lambda q: q.extraction.reach == 0.9),
        (r.SetExtraction(Extraction(reach=0.9), feature=feature.id), {"features"},
         lambda q: q.feature(feature.id).extraction.reach == 0.9),
        (r.SetExtraction(Extraction(reach=0.9), shape="plane"), {"extraction_of_shapes"},
         lambda q: q.extraction_of_shapes[-1].shape == "plane"),
        (r.SetViews((view,)), {"views"}, lambda q: q.views == (view,)),
        (r.SetTags(TagSettings(shown="all")), {"tags"}, lambda q: q.tags.shown == "all"),
        (p.SetSubset("sizes", ("c1", "c2")), {"subsets"},
         lambda q: [(s.name, s.characteristics) for s in q.subsets] == [("sizes", ("c1", "c2"))]),
        (p.TakeProgram(plan.replace(kept=(KeptStatement(text="MODE/AUTO"),))), {"kept"},
         lambda q: [k.text for k in q.kept] == ["MODE/AUTO"]),
        (p.SetRoute(ROUTE, "route"), {"route"}, lambda q: [s.id for s in q.route.steps] == ["m-base"]),
        (p.SetReadout(Readout(id="r1", lower=-0.1, upper=0.1)), {"readouts"}, lambda q: q.readouts[-1].upper == 0.1),
        (p.SetSurfaceCheck(SurfaceCheck(id="k1", depth=0.2)), {"surface_checks"},
         lambda q: [k.id for k in q.surface_checks] == ["k0", "k1"]),
        (p.RemoveSurfaceCheck("k0"), {"surface_checks"}, lambda q: q.surface_checks == ()),
        (p.SetBlade(BLADE.replace(thickness=2.0), nominals=(("c-chord", 30.0),)), {"blades", "characteristics"},
         lambda q: q.blades[0].thickness == 2.0 and q.characteristic("c-chord").nominal == 30.0),
        (p.SetBlade(BLADE.replace(sections=BLADE.sections[1:])), {"blades", "characteristics"},
         lambda q: q.reading("chord") is None and all(x.id != "c-chord" for x in q.characteristics)),
        (p.RemoveBlade("b0"), {"blades", "characteristics"}, lambda q: q.blades == () and q.reading("chord") is None),
        (p.SetSilhouette(SHADOW, added=(required(plan, "size", "shadow_size"),)), {"silhouette", "characteristics"},
         lambda q: q.silhouette == SHADOW and q.named("size").what == "size"),
        (p.RemoveReadout("r0"), {"readouts"}, lambda q: q.readouts == ()),
        (p.SetProbing(demo_probing(), "probes"), {"probing"}, lambda q: len(q.probing.assemblies) == 2),
    ]  # fmt: skip


def test_no_command_is_left_out(base):
    assert len(commands(base)) == COUNT
    assert set(every_command()) == {type(command).__name__ for command, _, _ in commands(base)}


@pytest.mark.parametrize("k", range(COUNT))
def test_a_command_does_what_it_says_and_is_undone_without_a_trace(base, k):
    command, may_change, holds = commands(base)[k]
    if isinstance(command, p.SetSilhouette):  # it has no part
        base = base.replace(part=None)
    history = History(base)
    assert history.run(command)
    after = history.plan
    assert holds(after)
    changed = {name for name in type(base).model_fields if getattr(after, name) != getattr(base, name)}
    assert changed
    assert may_change is None or changed <= may_change
    assert command.label
    assert history.undo()
    assert history.plan == base
    assert history.redo()
    assert history.plan == after


def test_commands_of_readings_leave_nothing_without_its_characteristic(base):
    """A dimension goes with its characteristic, and its characteristic with the section."""
    made = r.AddDimension("cut0", DIMENSION, required(base, "d-new", "section_radius")).apply(base)
    assert c.RemoveCharacteristic("c-new").apply(made).section("cut0").dimensions == ()
    gone = r.RemoveSection("cut0").apply(made)
    assert all(x.id != "c-new" for x in gone.characteristics)
    assert gone.reading("d-new") is None
    left = c.RemoveCharacteristic("c-chord").apply(base).blades[0].sections
    assert [s.values for s in left] == [(), ()]
