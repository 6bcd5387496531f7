"""Which poses of a head the features of a plan need, and which of them it cannot take."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Rigid, Vector
from truegauge.core.association.features import Cone, Cylinder, Plane
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.frames import invert, rotate
from truegauge.core.probing.assembly import STRAIGHT, HeadPose, ProbeAssembly
from truegauge.core.probing.components import Articulation

_CLOSE = np.radians(12.0)  # a pose that is there already is near enough


@dataclass(frozen=True, slots=True)
class PoseAnswer:
    """The pose for a feature; None with the reason when the head has none."""

    feature: str
    pose: HeadPose | None
    why: str = ""


def direction_of(pose: HeadPose) -> Vector:
    """Return where a straight stylus points in a pose, (3,) machine coordinates."""
    tilt, turn = np.radians(pose.tilt_deg), np.radians(pose.turn_deg)
    return np.array([-np.sin(turn) * np.sin(tilt), np.cos(turn) * np.sin(tilt), -np.cos(tilt)])


def nearest_pose(own: Articulation, direction: Vector) -> tuple[HeadPose, float]:
    """Return the indexed pose that points most nearly in a direction (3,), and how far it is off, rad."""
    tilt = np.degrees(np.arccos(np.clip(-direction[2], -1, 1)))
    turn = np.degrees(np.arctan2(-direction[0], direction[1])) if tilt > 1e-6 else 0.0
    tilt = _stepped(tilt, own.step_deg, own.tilt_min_deg, own.tilt_max_deg)
    turn = _stepped(turn, own.step_deg, own.turn_min_deg, own.turn_max_deg)
    pose = HeadPose(tilt_deg=tilt, turn_deg=turn if tilt > 0 else 0.0)
    return pose, float(np.arccos(np.clip(direction_of(pose) @ direction, -1, 1)))


def _stepped(value: float, step: float, low: float, high: float) -> float:
    # The ends of the range may lie between two steps.
    return float(step * np.clip(round(value / step), np.ceil(low / step - 1e-9), np.floor(high / step + 1e-9)))


def poses_for(
    assembly: ProbeAssembly, model: CadModel, features: tuple[tuple[str, tuple[int, ...], Nominal | None], ...],
    part_from_machine: Rigid | None,
) -> tuple[PoseAnswer, ...]:  # fmt: skip
    """Return a pose for every feature (name, faces, nominal); as few different ones as serve.

    Without an alignment the part is taken to lie as it is drawn.
    """
    own = assembly.articulation
    turn = np.eye(4) if part_from_machine is None else invert(part_from_machine)
    middle = model.box.mean(axis=0)
    chosen: list[HeadPose] = list(assembly.poses)
    answers = []
    for name, faces, nominal in features:
        wanted = [rotate(turn, d) for d in _directions(model, faces, nominal, middle)]
        if own is None:
            off = min((_angle(STRAIGHT, d) for d in wanted), default=0.0)
            why = "" if off < np.radians(75.0) else "the head is fixed, and its stylus points elsewhere"
            answers.append(PoseAnswer(name, None if why else STRAIGHT, why))
            continue
        there = [(p, d) for p in chosen for d in wanted if _angle(p, d) < _CLOSE]
        if there:
            answers.append(PoseAnswer(name, there[0][0]))
            continue
        best, off = min((nearest_pose(own, d) for d in wanted), key=lambda found: found[1])
        if off > np.radians(own.step_deg) + _CLOSE:
            answers.append(PoseAnswer(
                name, None, f"the stylus would have to point up: tilt "
                f"{np.degrees(np.arccos(np.clip(-wanted[0][2], -1, 1))):.0f}°, and the head reaches "
                f"{own.tilt_max_deg:g}°; turn the part over"))  # fmt: skip
            continue
        chosen.append(best)
        answers.append(PoseAnswer(name, best))
    return tuple(answers)


def _angle(pose: HeadPose, direction: Vector) -> float:
    return float(np.arccos(np.clip(direction_of(pose) @ direction, -1, 1)))


def _directions(model: CadModel, faces: tuple[int, ...], nominal: Nominal | None, middle: Vector) -> list[Vector]:
    """Return directions in which a stylus would best point at a feature, in part coordinates."""
    mesh = model.mesh
    own = np.isin(mesh.triangle_face, faces)
    corners = mesh.vertices[mesh.triangles[own]]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    mean = across.sum(axis=0)
    area = np.linalg.norm(across, axis=1).sum()
    feature = None if nominal is None else nominal.feature
    if isinstance(feature, Cylinder | Cone):
        axis = axis_of(feature)
        assert axis is not None
        # From the side that is nearer to the outside of the part.
        out = axis.direction if (nominal is not None and (nominal.center - middle) @ axis.direction > 0) else (
            -axis.direction)  # fmt: skip
        return [-out, out]
    if isinstance(feature, Plane) or np.linalg.norm(mean) > 0.3 * area:
        return [-mean / np.linalg.norm(mean)]
    return [np.array([0.0, 0.0, -1.0])]
