"""The plan of LW-1140 for a CMM: probes, seven touches by hand, datums, features by machine."""

from truegauge.core.cad.model import CadModel
from truegauge.core.plan.alignments import AlignmentDatum, DatumAlignment, GuidedAlignment, GuideTarget
from truegauge.core.plan.document import Plan
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.components import Catalogue
from truegauge.core.probing.probing import Probing, RackPort, StylusUse
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.core.routes.document import PartFixture, Placement, Route
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.demo.plan import housing_plan
from truegauge.formats.catalogue import own_catalogue

_TARGETS: tuple[tuple[str, tuple[float, float, float], tuple[float, float, float]], ...] = (
    ("A1", (30.0, 20.0, 0.0), (0.0, 0.0, -1.0)), ("A2", (115.0, 22.0, 0.0), (0.0, 0.0, -1.0)),
    ("A3", (70.0, 76.0, 0.0), (0.0, 0.0, -1.0)), ("B1", (30.0, 0.0, 7.0), (0.0, -1.0, 0.0)),
    ("B2", (110.0, 0.0, 7.0), (0.0, -1.0, 0.0)), ("C1", (0.0, 45.0, 7.0), (-1.0, 0.0, 0.0)),
    ("Top", (86.5, 45.0, 60.0), (0.0, 0.0, 1.0)),
)  # fmt: skip
# What needs points all over, as a scan has them.
_NEEDS_A_SCAN = ("spot", "section", "compare", "profile")


def demo_probe(catalogue: Catalogue, key: str, name: str, components: tuple[str, ...]) -> ProbeAssembly:
    """Return a straight assembly of components of the catalogue."""
    made = ProbeAssembly(id=key, name=name)
    for component in components:
        on, end, _ = made.free_ends()[0]
        made = made.with_component(catalogue.component(component), on, end)
    return made


def demo_probing() -> Probing:
    """Return the probes of the demo: a short and a long one in a rack of two ports."""
    catalogue = own_catalogue()
    short = demo_probe(catalogue, "p1", "Short 4", ("head-indexed", "trigger-m2", "ball-m2-4-20"))
    turns = (0.0, 90.0, 180.0, -90.0)
    short = short.with_poses((HeadPose(), *(HeadPose(tilt_deg=90.0, turn_deg=t) for t in turns)))
    long = demo_probe(catalogue, "p2", "Long 3", ("head-indexed", "extension-50", "trigger-m2", "ball-m2-3-40"))
    return Probing(
        assemblies=(short, long),
        master=StylusUse(assembly="p1", stylus="c3"),
        rack=(RackPort(name="Port 1", place=(60.0, 940.0, -300.0), assembly="p1"),
              RackPort(name="Port 2", place=(150.0, 940.0, -300.0), assembly="p2")),
        sphere=ReferenceSphere(name="Larkspur 25", diameter=24.9987, uncertainty=0.0002, certificate="LW-CAL-0412",
                               certified_on="2026-03-02", stem_tilt_deg=0.0),
    )  # fmt: skip


def cmm_plan(model: CadModel) -> Plan:
    """Return the plan."""
    plan = housing_plan(model)
    by_name = {f.name: f.id for f in plan.features}
    targets = tuple(GuideTarget(name=n, place=p, direction=d) for n, p, d in _TARGETS)
    by_hand = GuidedAlignment(id="touches", name="Seven touches", targets=targets)
    datums = tuple(AlignmentDatum(feature=by_name[n]) for n in ("base A", "side B", "side C"))
    refined = DatumAlignment(id="abc", name="A, B, C", base="touches", datums=datums)
    kept = tuple(c.replace(alignment="") for c in plan.characteristics if not c.kind.startswith(_NEEDS_A_SCAN))
    return plan.replace(
        name="LW-1140 by CMM", alignments=(by_hand, refined), in_force="abc", characteristics=kept, spots=(),
        sections=(), views=(), probing=demo_probing(), device=StatedErrors(),
        # It stands on its back, so that base and sides can be touched.
        route=Route(placement=Placement(up=(0.0, -1.0, 0.0))),
    )  # fmt: skip


def cover_on_fixture(plan: Plan) -> Plan:
    """Return the plan of LW-1215 for a CMM: the thin panel lies on four posts, two clamps hold its flange."""
    posts = tuple(
        PartFixture(name=f"post {k + 1}", shape="cylinder", low=(x, y, -80.0), high=(x, y, -1.6), radius=5.0)
        for k, (x, y) in enumerate(((40.0, 5.0), (180.0, 5.0), (40.0, 155.0), (180.0, 155.0)))
    )
    clamps = tuple(
        PartFixture(name=f"clamp {k + 1}", low=(-14.0 + x, 70.0, -80.0), high=(x, 90.0, 8.0))
        for k, x in enumerate((-0.5, 234.5))
    )
    route = Route(placement=Placement(height=82.0), fixtures=(*posts, *clamps))
    return plan.replace(name="LW-1215 by CMM", probing=demo_probing(), route=route)
