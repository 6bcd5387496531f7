"""What would reach a feature that no stylus of the plan does: poses of its heads that the plan does not have yet."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import product

import numpy as np

from truegauge.core.arrays import Ints
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.components import Articulation
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.routes.legs import Candidate
from truegauge.core.routes.places import Places
from truegauge.core.routes.reach import STEM_IN, at_places, reached
from truegauge.core.routes.scene import Scene
from truegauge.core.routes.settling import FeaturePlaces

_STEP = 15.0  # degrees between poses that are tried at first
_CLOSELY, _SAMPLED, _KEPT = 16, 8, 3


def candidates_for(scene: Scene, places: FeaturePlaces, usable: Sequence[StylusUse]) -> tuple[Candidate, ...]:
    """Return the nearest styli that would get at more of a feature, the best first: poses that are not in the plan yet.

    A stylus that is in the plan but may not be used (it is not qualified) is one too. None is named that is no better
    than those that may be used.
    """
    probing = scene.probing
    best = max((_share(scene, places, use) for use in usable), default=0.0)
    found: list[Candidate] = []
    for use in probing.uses():
        if use not in usable:
            found.append(Candidate(use, _share(scene, places, use), f"{probing.name_of(use)}: to be qualified"))
    for a in probing.assemblies:
        if a.articulation is not None and a.styli():
            found += _poses_of(scene, places, a, a.articulation)
    found = [c for c in found if c.share > best + 1e-9]
    found.sort(key=lambda c: -round(c.share, 2))
    return tuple(found[:_KEPT])


def _poses_of(scene: Scene, places: FeaturePlaces, a: ProbeAssembly, head: Articulation) -> list[Candidate]:
    """Return the most promising poses of a head: first roughly, then those beside the best."""
    fine = head.step_deg

    def beside(pose: HeadPose) -> list[HeadPose]:
        return [HeadPose(tilt_deg=pose.tilt_deg + i * fine, turn_deg=pose.turn_deg + j * fine)
                for i in (-1, 0, 1) for j in (-1, 0, 1)]  # fmt: skip

    def looked_at(poses: list[HeadPose], some: int) -> list[tuple[float, StylusUse]]:
        new = [p for p in dict.fromkeys(poses) if p not in a.poses and not a.why_unreachable(p)]
        trial = scene.probing.replace(assemblies=tuple(
            x.with_poses((*x.poses, *new)) if x.id == a.id else x for x in scene.probing.assemblies))  # fmt: skip
        own = replace(scene, probing=trial, _probes={})
        ranked = [
            (_promise(own, places, use), use)
            for s in a.styli() for use in (StylusUse(assembly=a.id, stylus=s.id, pose=p) for p in new)
        ]  # fmt: skip
        ranked.sort(key=lambda r: (-r[0][0], -r[0][1], r[1].pose.tilt_deg, abs(r[1].pose.turn_deg)))
        return [(_share(own, places, use, _SAMPLED), use) for (share, _), use in ranked[:some] if share > 0]

    rough = sorted(looked_at(_poses(head), _CLOSELY), key=lambda r: -r[0])
    if rough and rough[0][0] < 1.0:
        rough += looked_at([p for _, use in rough[:2] for p in beside(use.pose)], _CLOSELY)
        rough.sort(key=lambda r: -r[0])
    found = []
    for _, use in rough[:_KEPT]:
        trial = with_pose(scene.probing, use)
        # Some of the places told which are worth looking at; what is said of them is of all.
        share = _share(replace(scene, probing=trial, _probes={}), places, use)
        found.append(Candidate(use, share, f"{trial.name_of(use)}: a pose that the plan does not have yet"))
    return found


def with_pose(probing: Probing, use: StylusUse) -> Probing:
    """Return the probing with the pose of a candidate."""
    return probing.replace(assemblies=tuple(
        a.with_poses((*a.poses, use.pose)) if a.id == use.assembly else a for a in probing.assemblies))  # fmt: skip


def with_added(probing: Probing, uses: Sequence[StylusUse]) -> Probing:
    """Return the probing with the poses of some candidates that it does not have yet."""
    for use in uses:
        if use.pose not in probing.assembly(use.assembly).poses:
            probing = with_pose(probing, use)
    return probing


def _poses(own: Articulation) -> list[HeadPose]:
    step = max(own.step_deg, _STEP) if _STEP % own.step_deg < 1e-9 else own.step_deg
    tilts = np.arange(np.ceil(own.tilt_min_deg / step), np.floor(own.tilt_max_deg / step) + 1) * step
    turns = np.arange(np.ceil(own.turn_min_deg / step), np.floor(own.turn_max_deg / step) + 1) * step
    made = {HeadPose(tilt_deg=float(a), turn_deg=float(b) if a else 0.0) for a, b in product(tilts, turns)}
    return sorted(made, key=lambda p: (p.tilt_deg, p.turn_deg))


def _promise(scene: Scene, places: FeaturePlaces, use: StylusUse) -> tuple[float, float]:
    """Return which share of the places the stem does not point into, and how well it points at them."""
    wanted = _wanted(places, use)
    if wanted is None:
        return 0.0, 0.0
    a = scene.probing.assembly(use.assembly)
    cosine = wanted.normals @ (scene.machine_from_part[:3, :3].T @ a.stylus(use.stylus, use.pose).direction)
    return round(float((cosine < STEM_IN).mean()), 2), round(float(-cosine.mean()), 2)


def _wanted(places: FeaturePlaces, use: StylusUse) -> Places | None:
    """Return the wanted places for the tip of a stylus; the pose does not matter for them."""
    known = next((u for u in places.scene.probing.uses() if (u.assembly, u.stylus) == (use.assembly, use.stylus)), None)
    try:
        wanted = None if known is None else places.wanted(known)[0]
    except DeviceError:
        return None
    return wanted if wanted is not None and len(wanted) else None


def _share(scene: Scene, places: FeaturePlaces, use: StylusUse, count: int = 0) -> float:
    """Return the share of the wanted places (of `count` of them, 0: of all) that a stylus gets at."""
    wanted = _wanted(places, use)
    if wanted is None:
        return 0.0
    rows: Ints = np.unique(np.linspace(0, len(wanted) - 1, min(len(wanted), count or len(wanted))).astype(np.int64))
    return float(reached(at_places(scene, use, wanted.at(rows), places.approach)).mean())
