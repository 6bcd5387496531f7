"""Nothing stays behind that refers to what is gone: features, characteristics, faces."""

import typing

import numpy as np
import pytest

from truegauge import demo
from truegauge.core import references
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.commands.part import SetPart
from truegauge.core.commands.requirements import RemoveCharacteristic
from truegauge.core.deviations.map_scale import DeviationScale, FaceTolerance
from truegauge.core.frozen_model import Frozen
from truegauge.core.plan.blades import BladeCheck
from truegauge.core.plan.document import Plan
from truegauge.core.plan.kept import KeptStatement
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.readouts import Readout
from truegauge.core.plan.subsets import Subset
from truegauge.core.plan.surface_checks import SurfaceCheck
from truegauge.core.plan.views import Eye, PinnedTag, SavedView, TagSettings
from truegauge.core.routes.document import MeasureStep, Route, step_id
from truegauge.core.routes.strategies import Usual
from truegauge.formats.plan_file import read_plan

EYE = Eye(target=(0.0, 0.0, 0.0), back=(0.0, 0.0, 1.0), up=(0.0, 1.0, 0.0), height=100.0)


@pytest.fixture(scope="module")
def full():
    """A plan in which everything refers to something."""
    plan = read_plan(demo.PLAN).plan
    tags = TagSettings(
        shown="listed", listed=tuple(c.id for c in plan.characteristics[:6]), hidden=(plan.characteristics[7].id,),
        pinned=tuple(PinnedTag(characteristic=c.id, x=0.5, y=0.5) for c in plan.characteristics[2:5]),
    )  # fmt: skip
    scale = DeviationScale(own=(FaceTolerance(faces=plan.features[1].faces, tolerance=0.03),))
    view = SavedView(id="v9", name="all", eye=EYE, hidden=plan.features[0].faces, scale=scale, tags=tags)
    steps = tuple(MeasureStep(id=step_id(f.id), feature=f.id, strategy=Usual(touches=7)) for f in plan.features)
    return plan.replace(tags=tags, views=(*plan.views, view), scale=scale, route=Route(steps=steps))


def ids(plan):
    return {x.id for x in (*plan.features, *plan.constructed, *plan.readings)}


def models(kind, seen=None):
    """Every model that a plan is made of."""
    seen = {} if seen is None else seen
    if kind in seen:
        return seen
    seen[kind] = True

    def within(annotation):
        for own in typing.get_args(annotation) or (annotation,):
            if isinstance(own, type) and issubclass(own, Frozen):
                models(own, seen)
            elif typing.get_args(own):
                within(own)

    for field in kind.model_fields.values():
        within(field.annotation)
    return seen


# What is called so and refers to nothing of the plan.
NO_REFERENCE = {("Plan", "features"), ("Probing", "features")}


def test_every_field_that_is_called_like_a_reference_says_what_it_refers_to():
    found = set()
    for kind in models(Plan):
        for name, field in kind.model_fields.items():
            if name in ("feature", "features", "faces", "members", "others", "characteristic", "hidden", "listed"):
                own = [m for m in field.metadata if isinstance(m, references.Refers)]
                if (kind.__name__, name) not in NO_REFERENCE:
                    assert own, f"{kind.__name__}.{name}"
                    found.add((kind.__name__, name))
    assert len(found) > 12


@pytest.mark.parametrize("k", range(19))
def test_a_feature_that_is_removed_leaves_nothing_behind(full, k):
    gone = full.features[k].id
    after = RemoveFeature(gone).apply(full)
    assert references.used(after, "feature") <= ids(after)
    known = {c.id for c in after.characteristics}
    assert references.used(after, "characteristic") <= known
    # By definition: what is built of it goes, what is required of either goes, everything else stays.
    lost = {gone}
    for made in full.constructed:
        if lost & set(made.members):
            lost.add(made.id)
    assert [f.id for f in after.all_features] == [f.id for f in full.all_features if f.id not in lost]
    assert after.characteristics == tuple(c for c in full.characteristics if not lost & set(c.features))
    assert after.datums == tuple(d for d in full.datums if not lost & set(d.features))
    assert [s.feature for s in after.route.steps] == [f.id for f in full.features if f.id not in lost]
    assert after.spots == full.spots


@pytest.mark.parametrize("k", [0, 2, 4, 7, 12])
def test_a_characteristic_that_is_removed_takes_its_tags_along(full, k):
    gone = full.characteristics[k].id
    after = RemoveCharacteristic(gone).apply(full)
    assert gone not in references.used(after, "characteristic")
    for tags, before in ((after.tags, full.tags), (after.views[-1].tags, full.tags)):
        assert tags.listed == tuple(c for c in before.listed if c != gone)
        assert [p.characteristic for p in tags.pinned] == [p.characteristic for p in before.pinned
                                                           if p.characteristic != gone]  # fmt: skip


def test_faces_of_a_revision_are_renumbered_everywhere(full):
    """In saved views with colours of their own too; what is lost of a feature is told, what is hidden is forgotten."""
    rng = np.random.default_rng(3)
    faces = sorted(references.used(full, "face"))
    order = rng.permutation(len(faces))
    new_of = {f: 1000 + int(o) for f, o in zip(faces, order, strict=True)}
    lost = full.features[0].faces
    for f in lost:
        del new_of[f]
    part = PartReference(file_name="b.step", sha256="1" * 64)
    after = SetPart(part, "b", tuple(new_of.items())).apply(full)
    assert after.part == part
    kept = {f for f in references.used(after, "face") if f >= 0}
    assert kept <= set(new_of.values())
    assert after.features[0].faces == tuple(-1 - f for f in lost)
    view = after.views[-1]
    assert view.hidden == ()
    assert view.scale.own[0].faces == tuple(sorted(new_of[f] for f in full.features[1].faces))
    assert [f.id for f in after.features] == [f.id for f in full.features]


def test_another_part_leaves_nothing_of_the_old_one(full):
    after = SetPart(PartReference(file_name="c.step", sha256="2" * 64), "c").apply(full)
    assert not references.used(after, "feature")
    assert not references.used(after, "characteristic")
    assert not references.used(after, "face")
    assert after.route.steps == ()
    assert after.probing.assemblies == full.probing.assemblies
    more = full.replace(
        blades=(BladeCheck(id="blade"),), surface_checks=(SurfaceCheck(id="check"),), readouts=(Readout(id="far"),),
        subsets=(Subset(name="some"),), kept=(KeptStatement(text="TEXT/OPER,'here'"),),
    )  # fmt: skip
    after = SetPart(PartReference(file_name="c.step", sha256="2" * 64), "c").apply(more)
    gone = ("blades", "surface_checks", "readouts", "subsets", "kept", "spots", "sections", "compared", "views")
    assert [name for name in gone if getattr(after, name)] == []
    # What was looked at of a scan alone stays beside the first part.
    first = SetPart(full.part, "c").apply(Plan(surface_checks=more.surface_checks))
    assert first.surface_checks == more.surface_checks
