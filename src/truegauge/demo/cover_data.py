"""The errors of the demo cover, its scan, and its plan."""

from typing import Any

import numpy as np

from truegauge import demo
from truegauge.core.arrays import Ints, Mask, Points
from truegauge.core.authoring.readings import SpotWish, add_spots, places_on_grid
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.nodes.sections import DimensionNominal
from truegauge.core.plan.alignments import BestFitAlignment, ReferencePlace, ReferencePointAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.points import Extraction, ShapeExtraction
from truegauge.core.plan.readings import Section, SectionDimension, Span
from truegauge.core.plan.requirements import Characteristic, Datum, DatumReference, DatumTarget
from truegauge.core.plan.title import TitleBlock
from truegauge.core.plan.views import SavedView, TagSettings
from truegauge.core.tolerancing.zone import Zone
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.demo.cover import HOLE_RADIUS, HOLES, LENGTH, WIDTH, dome
from truegauge.demo.faces import cylinder_at
from truegauge.demo.scan_maker import InjectedError, ScanSettings
from truegauge.formats.files import content_key

HOLE_4_SHIFT = (0.35, -0.20)
HOLE_2_LARGER = 0.04  # of the radius
SAG = 0.22  # of the dome, in its middle
# Where the flange is held in height: there the panel is as designed.
FLANGE_PLACES = ((30.0, 8.0), (190.0, 8.0), (110.0, 146.0))
MIDDLE = (LENGTH / 2, WIDTH / 2)


def panel_faces(model: CadModel) -> tuple[int, int]:
    """Return the upper and the lower formed face."""
    splines = [f for f in model.faces if f.surface.kind == SurfaceKind.BSPLINE and f.area > 0.3 * LENGTH * WIDTH]
    upper, lower = sorted(splines, key=lambda f: -f.centroid[2])
    return upper.index, lower.index


def sag(points: Points) -> Points:
    """Return how the dome has sagged: nothing on the flange, most in the middle."""
    out = np.zeros_like(points)
    out[:, 2] = -SAG * dome(points[:, 0], points[:, 1]) / float(dome(*(np.array([v]) for v in MIDDLE))[0])
    return out


def cover_errors(model: CadModel) -> tuple[InjectedError, ...]:
    """Return what is wrong with cover number 0008, and what an exact measurement finds."""
    upper, lower = panel_faces(model)
    holes = [cylinder_at(model, HOLE_RADIUS, x, y) for x, y in HOLES]

    def sagging(p: Points, n: Points) -> Points:
        return sag(p)

    def shifted(p: Points, n: Points) -> Points:
        return np.tile((*HOLE_4_SHIFT, 0.0), (len(p), 1))

    def larger(p: Points, n: Points) -> Points:
        return -HOLE_2_LARGER * n

    e = InjectedError
    return (
        e("dome sagged", (upper, lower), sagging, {"middle": -SAG}),
        e("hole 4 displaced", (holes[3],), shifted,
          {"dx": HOLE_4_SHIFT[0], "dy": HOLE_4_SHIFT[1], "position": 2 * float(np.hypot(*HOLE_4_SHIFT))}),
        e("hole 2 large", (holes[1],), larger, {"diameter": 2 * (HOLE_RADIUS + HOLE_2_LARGER)}),
    )  # fmt: skip


def unseen(points: Points, faces: Ints) -> Mask:
    """What the scanner does not see: most of the lower side, but for its rim."""
    x, y, z = points.T
    below = z < dome(x, y) - 0.7
    inside = (x > 12) & (x < LENGTH - 12) & (y > 12) & (y < WIDTH - 12)
    return np.asarray(below & inside)


def cover_scan_settings(model: CadModel) -> ScanSettings:
    """Return how the cover is scanned."""
    return ScanSettings(
        points=220_000, noise=0.010, table_share=0.06, table_z=-9.0, seed=1215, hidden=unseen,
        errors=cover_errors(model),
    )  # fmt: skip


def _characteristic(number: int, name: str, kind: str, features: tuple[str, ...], **more: Any) -> Characteristic:
    return Characteristic(
        id=f"c{number}", number=number, name=name, kind=kind, features=features, **{"nominal": 0.0, **more}
    )


def cover_plan(model: CadModel) -> Plan:
    """Return the plan for the cover: aligned by its whole shape, then by its holes as reference points."""
    from truegauge.core.evaluation.evaluator import Evaluator

    upper, _ = panel_faces(model)
    features = [NominalFeature(id="panel", name="panel", faces=whole_surface(model, upper))]
    for k, (x, y) in enumerate(HOLES, 1):
        face = cylinder_at(model, HOLE_RADIUS, x, y)
        features.append(NominalFeature(id=f"hole-{k}", name=f"hole {k}", faces=whole_surface(model, face)))
    by_holes = ReferencePointAlignment(
        id="holes", name="Holes", base="a1", radius=2.5,
        points=(
            *(ReferencePlace(name=f"Z{k}", place=(x, y, 0.0), held="z") for k, (x, y) in enumerate(FLANGE_PLACES, 1)),
            ReferencePlace(name="hole 1", feature="hole-1", held="xy"),
            ReferencePlace(name="hole 3", feature="hole-3", held="y"),
        ),
    )  # fmt: skip
    holes = tuple(f"hole-{k}" for k in range(1, len(HOLES) + 1))
    made: list[Characteristic] = []
    for k, (x, y) in enumerate(HOLES, 1):
        n = 3 * k - 2
        made.append(_characteristic(n, f"hole {k}", "diameter", (f"hole-{k}",), nominal=2 * HOLE_RADIUS, lower=-0.05,
                                    upper=0.10))  # fmt: skip
        for axis, at, number in (("x", x, n + 1), ("y", y, n + 2)):
            made.append(_characteristic(number, f"hole {k} {axis.upper()}", f"coordinate_{axis}", (f"hole-{k}",),
                                        nominal=at, lower=-0.25, upper=0.25))  # fmt: skip
    targets = tuple(
        DatumTarget(name=f"A{k}", kind="area", place=(x, y, 0.0), radius=2.5)
        for k, (x, y) in enumerate(FLANGE_PLACES, 1)
    )
    datums = tuple(DatumReference(letter=letter) for letter in "ABC")
    made += [
        _characteristic(19, "holes in the frame", "position", holes, upper=0.6, datums=datums,
                        zone=Zone(shape="cylinder")),
        _characteristic(20, "panel", "profile_surface", ("panel",), upper=0.6, datums=datums),
        _characteristic(21, "panel by itself", "profile_surface", ("panel",), upper=0.5),
    ]  # fmt: skip
    plan = Plan(
        usual_size="GG",  # as the title block of the drawing states
        name="LW-1215 mirror-cell cover",
        revision=1,
        part=PartReference(file_name=demo.COVER_PART.name, sha256=content_key(demo.COVER_PART.read_bytes())),
        features=tuple(features),
        datums=(
            Datum(letter="A", feature="panel", targets=targets),
            Datum(letter="B", feature="hole-1"),
            Datum(letter="C", feature="hole-3"),
        ),
        alignments=(BestFitAlignment(id="a1", name="Whole shape"), by_holes),
        in_force="holes",
        # The holes are as deep as the sheet is thick: a third of a millimetre off each edge is left of that.
        extraction_of_shapes=(
            ShapeExtraction(shape="cylinder", extraction=Extraction(edge_margin=0.2, averaging=0.6)),
        ),
        characteristics=tuple(made),
        scale=DeviationScale(limit=0.40, tolerance=0.15),
        device=StatedErrors(name="demo scanner", probing=0.006, constant=0.010, per_metre=0.030),
        title_block=TitleBlock(
            title="Mirror-cell cover", part_number="LW-1215", drawing="LW-1215-B rev 1",
            customer="Larkspur Instrument Works", inspector="R. Fenwright",
        ),
    )  # fmt: skip
    evaluator = Evaluator(model)
    return _with_views(_with_readings(plan, evaluator))


def _with_readings(plan: Plan, evaluator: Any) -> Plan:
    """Add spot checks over the dome, the lowest place of it, and a section across."""
    model, projector = evaluator.model, evaluator.projector
    faces = plan.feature("panel").faces  # type: ignore[union-attr]
    grid = places_on_grid(model, projector, faces, 36.0)
    inside = grid[(grid[:, 2] > 6.0)]
    wishes = [SpotWish((*MIDDLE, 17.0), name="dome middle", direction=(0.0, 0.0, 1.0), lower=-0.3, upper=0.3)]
    wishes += [SpotWish((p[0], p[1], p[2]), name=f"dome {k}", lower=-0.3, upper=0.3) for k, p in enumerate(inside, 1)]
    wishes.append(
        SpotWish((*MIDDLE, 17.0), name="lowest of the dome", reads="lowest", area=60.0, lower=-0.35, upper=0.3)
    )
    plan = add_spots(plan, model, projector, wishes).apply(plan)
    plan = _plain_ids(plan)
    y = MIDDLE[1]
    inner = (
        SectionDimension(id="d-height", name="dome height", kind="vertical",
                         spans=(Span(at=(6.0, 0.0), reach=4.0, fits="point"),
                                Span(at=(MIDDLE[0], 17.0), reach=6.0, fits="point"))),
        SectionDimension(id="d-slopes", name="between the slopes", kind="horizontal",
                         spans=(Span(at=(40.0, 8.5), reach=2.0, fits="line"),
                                Span(at=(180.0, 9.0), reach=2.0, fits="line"))),
    )  # fmt: skip
    section = Section(
        id="s-middle", name="middle", origin=(0.0, y, 0.0), normal=(0.0, -1.0, 0.0), across=(1.0, 0.0, 0.0),
        thickness=2.0, dimensions=inner,
    )  # fmt: skip
    number = plan.next_number
    dimensions = []
    for k, d in enumerate(inner):
        nominal = evaluator.context(plan, None).get(DimensionNominal(section, d))
        assert isinstance(nominal, float)
        dimensions.append(_characteristic(number + k, d.name, f"section_{d.kind}", (d.id,), nominal=round(nominal, 6),
                                          lower=-0.4, upper=0.4))  # fmt: skip
    return plan.replace(sections=(section,), characteristics=(*plan.characteristics, *dimensions))


def _plain_ids(plan: Plan) -> Plan:
    """Give the same ids every time that the demo is made."""
    names = {s.id: f"spot-{k}" for k, s in enumerate(plan.spots, 1)}
    return plan.replace(
        spots=tuple(s.replace(id=names[s.id]) for s in plan.spots),
        characteristics=tuple(
            c.replace(id=f"c{c.number}", features=tuple(names.get(f, f) for f in c.features))
            for c in plan.characteristics
        ),
    )


def _with_views(plan: Plan) -> Plan:
    from truegauge.core.plan.views import Eye

    top = Eye(target=(110.0, 80.0, 5.0), back=(0.0, 0.0, 1.0), up=(0.0, 1.0, 0.0), height=215.0)
    back = np.array([0.45, -0.72, 0.53])
    back /= np.linalg.norm(back)
    up = np.array([0.0, 0.0, 1.0]) - back[2] * back
    up /= np.linalg.norm(up)
    a, b = (tuple(float(round(x, 9)) for x in v) for v in (back, up))
    slanted = Eye(target=(110.0, 80.0, 5.0), back=a, up=b, height=180.0)  # type: ignore[arg-type]
    holes = tuple(c.id for c in plan.characteristics if c.kind.startswith("coordinate") or c.number == 19)
    spots = tuple(c.id for c in plan.characteristics if c.kind == "spot")
    return plan.replace(
        views=(
            SavedView(id="v-panel", name="Panel", eye=slanted, tags=TagSettings(shown="outside", layout="sides")),
            SavedView(id="v-holes", name="Hole positions", eye=top,
                      tags=TagSettings(shown="listed", listed=holes, layout="around",
                                       parts=("name", "measured", "deviation"))),
            SavedView(id="v-spots", name="Dome", eye=top, needles=True,
                      tags=TagSettings(shown="listed", listed=spots, layout="around", parts=("name", "deviation"))),
        )
    )  # fmt: skip


def scan_of_cover(model: CadModel) -> tuple[Points, dict[str, object]]:
    """Return the scan and the truth about it."""
    from truegauge.demo.scan_maker import make_scan

    return make_scan(model, Projector(model), cover_scan_settings(model))
