"""The demo plan of LW-1140: what its drawing asks for."""

from typing import Any

import numpy as np

from truegauge import demo
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.core.cad.recognition import Nominal, nominal_of, whole_surface
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.plan.alignments import (
    AlignmentDatum,
    BestFitAlignment,
    DatumAlignment,
    MatchedPlace,
    MatchedPointAlignment,
    ReferencePlace,
    ReferencePointAlignment,
)
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.readings import Section, SectionDimension, Span, SpotCheck
from truegauge.core.plan.requirements import Characteristic, Datum, DatumReference
from truegauge.core.plan.title import TitleBlock
from truegauge.core.plan.views import Eye, SavedView, TagSettings
from truegauge.core.tolerancing.zone import Zone
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.demo.faces import cylinder_along, cylinder_at, face_of_kind, plane_at
from truegauge.demo.housing_sizes import MAIN_BORE, MOUNTING_HOLES, bolt_holes
from truegauge.formats.files import content_key

_BOLTS = tuple(f"bolt-{k}" for k in range(1, 7))
# number, name, kind, features, lower, upper
_REQUIREMENTS: tuple[tuple[int, str, str, tuple[str, ...], float | None, float | None], ...] = (
    (1, "base flatness", "flatness", ("base",), None, 0.060),
    (2, "side B to base", "perpendicularity", ("side-b",), None, 0.050),
    (3, "side C to base", "perpendicularity", ("side-c",), None, 0.050),
    (4, "main bore", "diameter", ("main-bore",), 0.0, 0.025),
    (5, "main bore cylindricity", "cylindricity", ("main-bore",), None, 0.025),
    (6, "main bore to base", "perpendicularity", ("main-bore",), None, 0.030),
    (7, "cross bore", "diameter", ("cross-bore",), -0.020, 0.020),
    (8, "cross bore to base", "parallelism", ("cross-bore",), None, 0.040),
    (9, "cross bore to side B", "perpendicularity", ("cross-bore",), None, 0.038),
    (10, "top height", "distance", ("top", "base"), -0.030, 0.030),
    (11, "top to base", "parallelism", ("top",), None, 0.050),
    (12, "bolt hole 1 to main bore", "distance", ("bolt-1", "main-bore"), -0.100, 0.100),
    (13, "bolt hole 4 to main bore", "distance", ("bolt-4", "main-bore"), -0.100, 0.100),
    (14, "boss", "diameter", ("boss",), -0.020, 0.0),
    (15, "ball socket", "diameter", ("socket",), -0.020, 0.020),
    (16, "slot width", "distance", ("slot-left", "slot-right"), 0.0, 0.050),
    (17, "mounting hole 1", "diameter", ("mount-1",), -0.050, 0.050),
    (18, "mounting holes 1 to 2", "distance", ("mount-1", "mount-2"), -0.050, 0.050),
    (19, "bolt hole size", "diameter", ("bolt-1",), -0.050, 0.100),
    (20, "bolt holes, whole frame", "position", _BOLTS, None, 0.200),
    (21, "bolt holes, about the bore", "position", _BOLTS, None, 0.400),
    (22, "bolt holes, among themselves", "position", _BOLTS, None, 0.350),
    (23, "main bore in the frame", "position", ("main-bore",), None, 0.100),
    (24, "ball socket in the frame", "position", ("socket",), None, 0.200),
    (25, "slot in the frame", "position", ("slot-left", "slot-right"), None, 0.100),
    (26, "shroud", "profile_surface", ("shroud",), None, 0.350),
    (27, "top face about the bore", "circular_runout", ("top",), None, 0.060),
    (28, "boss height", "coordinate_z", ("boss",), -0.100, 0.100),
)
_ROUND = Zone(shape="cylinder")
# What stands in the frame of each after the value: datum cells, and other fields of the characteristic.
_FRAMES: dict[int, tuple[tuple[str, ...], dict[str, Any]]] = {
    2: (("A",), {}), 3: (("A",), {}), 6: (("A",), {"zone": _ROUND}), 8: (("A",), {}), 9: (("B",), {"zone": _ROUND}),
    11: (("A",), {}),
    4: ((), {"fit": "H7"}),
    20: (("A", "B", "C"), {"modifiers": ("M",), "zone": _ROUND, "sheet_zone": "C4"}),
    21: (("A", "D(M)", "B"), {"modifiers": ("M",), "zone": _ROUND, "sheet_zone": "C4"}),
    22: (("A",), {"zone": _ROUND, "tier_of": "c21", "tier": "single", "sheet_zone": "C4"}),
    23: (("A", "B", "C"), {"zone": _ROUND, "sheet_zone": "B2"}),
    24: (("A", "D", "B"), {"zone": Zone(shape="sphere"), "sheet_zone": "D5"}),
    25: (("A", "B", "C"), {"modifiers": ("M",), "sheet_zone": "B6"}),
    26: (("A", "B", "C"), {"sheet_zone": "E3"}),
    27: (("D",), {"sheet_zone": "C3"}),
    28: (("A", "B", "C"), {}),
}  # fmt: skip


def _frame(number: int) -> dict[str, Any]:
    letters, more = _FRAMES.get(number, ((), {}))
    datums = tuple(DatumReference(letter=x[0], modifiers=("M",) if x.endswith("(M)") else ()) for x in letters)
    return {"datums": datums, **more}


_ALIGNMENTS = (
    BestFitAlignment(),
    DatumAlignment(
        id="datums", name="Datums A B C", base="a1",
        datums=tuple(AlignmentDatum(feature=f) for f in ("base", "side-b", "side-c")),
    ),
    MatchedPointAlignment(
        id="holes", name="Holes", base="a1",
        points=tuple(MatchedPlace(name=n, feature=f) for f, n in (
            ("main-bore", "main bore"), ("mount-1", "mounting hole 1"), ("mount-2", "mounting hole 2"),
            ("bolt-1", "bolt hole 1"), ("bolt-4", "bolt hole 4"), ("socket", "ball socket"),
        )),
    ),
    ReferencePointAlignment(
        id="reference", name="Reference points", base="a1",
        points=(
            *(ReferencePlace(name=f"Z{k + 1}", place=p, held="z")
              for k, p in enumerate(((40.0, 4.0, 14.0), (100.0, 4.0, 14.0), (10.0, 45.0, 14.0)))),
            ReferencePlace(name="Y1", place=(40.0, 0.0, 7.0), normal=(0.0, -1.0, 0.0), held="y"),
            ReferencePlace(name="Y2", place=(100.0, 0.0, 7.0), normal=(0.0, -1.0, 0.0), held="y"),
            ReferencePlace(name="X1", place=(0.0, 45.0, 7.0), normal=(-1.0, 0.0, 0.0), held="x"),
        ),
    ),
)  # fmt: skip


def _nominal(kind: str, features: list[Nominal]) -> float:
    known = KINDS[kind]
    return 0.0 if known.one_sided else round(known.nominal(tuple(features)), 6)


def housing_plan(model: CadModel) -> Plan:
    """Return the plan for the housing."""
    bolts = bolt_holes()
    faces = {
        "base": ("base A", plane_at(model, (0, 0, -1), 0)),
        "side-b": ("side B", plane_at(model, (0, -1, 0), 0)),
        "side-c": ("side C", plane_at(model, (-1, 0, 0), 0)),
        "top": ("top face", plane_at(model, (0, 0, 1), 60)),
        "main-bore": ("main bore", cylinder_at(model, 21.0, *MAIN_BORE)),
        "cross-bore": ("cross bore", cylinder_along(model, 12.0, 1)),
        "boss": ("boss", cylinder_along(model, 15.0, 0)),
        "socket": ("ball socket", face_of_kind(model, SurfaceKind.SPHERE)),
        **{f"bolt-{k + 1}": (f"bolt hole {k + 1}", cylinder_at(model, 2.75, *bolts[k])) for k in range(6)},
        "slot-left": ("slot side 1", plane_at(model, (1, 0, 0), 124)),
        "slot-right": ("slot side 2", plane_at(model, (-1, 0, 0), -136)),
        "mount-1": ("mounting hole 1", cylinder_at(model, 3.3, *MOUNTING_HOLES[0])),
        "mount-2": ("mounting hole 2", cylinder_at(model, 3.3, *MOUNTING_HOLES[1])),
        "shroud": ("shroud", face_of_kind(model, SurfaceKind.BSPLINE)),
    }
    features = tuple(
        NominalFeature(id=i, name=name, faces=whole_surface(model, face)) for i, (name, face) in faces.items()
    )
    by_id = {f.id: nominal_of(model, f.faces) for f in features if f.id != "shroud"}
    plan = Plan(
        usual_size="GG",  # as the title block of the drawing states
        name="LW-1140 worm-drive housing",
        revision=4,
        part=PartReference(file_name=demo.PART.name, sha256=content_key(demo.PART.read_bytes())),
        features=features,
        datums=tuple(
            Datum(letter=k, feature=f) for k, f in zip("ABCD", ("base", "side-b", "side-c", "main-bore"), strict=True)
        ),
        alignments=_ALIGNMENTS,
        characteristics=tuple(
            Characteristic(
                id=f"c{number}", number=number, name=name, kind=kind, features=ids,
                nominal=_nominal(kind, [by_id[i] for i in ids if i in by_id]), lower=lower, upper=upper,
                **_frame(number),
            )
            for number, name, kind, ids, lower, upper in _REQUIREMENTS
        ),
        device=StatedErrors(name="demo scanner", probing=0.004, constant=0.006, per_metre=0.020),
        title_block=TitleBlock(
            title="Worm-drive housing", part_number="LW-1140", drawing="LW-1140-D rev 4",
            customer="Larkspur Instrument Works", inspector="R. Fenwright",
        ),
    )  # fmt: skip
    return _with_views(_with_readings(plan, faces["shroud"][1], model))


def _with_readings(plan: Plan, shroud: int, model: CadModel) -> Plan:
    """Add the highest place of the shroud, and the main bore in a section."""
    highest = SpotCheck(
        id="spot-1", name="highest of the shroud", place=(88.0, 80.0, 30.0), normal=(0.0, 1.0, 0.0),
        faces=whole_surface(model, shroud), reads="highest",
    )  # fmt: skip
    bore = SectionDimension(
        id="d-bore", name="bore", kind="diameter",
        spans=(Span(at=(MAIN_BORE[0] + 21.0, MAIN_BORE[1]), reach=200.0, fits="circle"),),
    )  # fmt: skip
    section = Section(
        id="s-30", name="section at 30", origin=(0.0, 0.0, 30.0), normal=(0.0, 0.0, 1.0), across=(1.0, 0.0, 0.0),
        dimensions=(bore,),
    )  # fmt: skip
    more = (
        Characteristic(id="c29", number=29, name="highest of the shroud", kind="spot", features=("spot-1",),
                       nominal=0.0, lower=-0.2, upper=0.2),
        Characteristic(id="c30", number=30, name="main bore at 30", kind="section_diameter", features=("d-bore",),
                       nominal=42.0, lower=0.0, upper=0.025),
    )  # fmt: skip
    return plan.replace(spots=(highest,), sections=(section,), characteristics=(*plan.characteristics, *more))


def _with_views(plan: Plan) -> Plan:
    def eye(back: tuple[float, float, float], height: float) -> Eye:
        towards = np.array(back) / np.linalg.norm(back)
        up = np.array([0.0, 0.0, 1.0]) - towards[2] * towards
        up /= np.linalg.norm(up)
        a, b = (tuple(round(float(x), 9) for x in v) for v in (towards, up))
        return Eye(target=(70.0, 45.0, 27.0), back=a, up=b, height=height)  # type: ignore[arg-type]

    return plan.replace(
        views=(
            SavedView(id="v-all", name="What is outside", eye=eye((0.62, -0.90, 0.62), 152.0),
                      tags=TagSettings(shown="outside", layout="sides")),
            SavedView(id="v-shroud", name="Shroud", eye=eye((0.25, 0.9, 0.35), 150.0),
                      tags=TagSettings(shown="listed", listed=("c26", "c29"), layout="sides")),
        )
    )  # fmt: skip
