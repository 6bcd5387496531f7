"""How features are touched: by which stylus, and where, from what the probes meet on the part."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Mask, Rigid, Vector
from truegauge.core.association.features import Line
from truegauge.core.association.squares import RULES
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, rotate
from truegauge.core.probing.clearance import room_of_each
from truegauge.core.probing.obstacles import PartObstacle
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import MachineRecord
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.standing import standing
from truegauge.core.probing.strategies import Places, candidate_places, choose, usual_touches

_ROOM = 0.4  # mm that a probe needs beside the part at a touch: nothing is quite where it is believed to be
_NEAR = 0.4  # mm before the surface where a probe can be when there is little room
_MARGIN = 1.0  # mm from the border of a face, beside the radius of the tip
_OVER = 40.0  # mm over the part that travel goes
_STEM_IN = 0.35  # cosine from which a stem points into the surface that its tip touches
_TRIED, _SAMPLED = 4, 24  # styli that are looked at closely, at so many places


@dataclass(frozen=True, slots=True, eq=False)
class FeatureToTouch:
    """A feature of the plan: its id and name, its faces, and its nominal feature (None: free-form).

    `about` is the axis that a face runs out about: it is touched in rings around it. What others are measured from
    comes `first`.
    """

    id: str
    name: str
    faces: tuple[int, ...]
    nominal: Nominal | None
    about: Line | None = None
    first: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class FeatureRoute:
    """How one feature is touched: by which stylus, where (machine coordinates), and how far before the surface."""

    feature: FeatureToTouch
    use: StylusUse
    places: Places
    approach: float


@dataclass(frozen=True, slots=True, eq=False)
class Left:
    """A feature that cannot be touched, and why."""

    feature: FeatureToTouch
    why: str


class Router:
    """Chooses styli and places for features, by what the probes meet on the part as it is aligned."""

    def __init__(
        self, model: CadModel, projector: Projector, machine_from_part: Rigid, probing: Probing,
        may_use: Callable[[StylusUse], bool], sphere_center: Vector | None = None, record: MachineRecord | None = None,
    ) -> None:  # fmt: skip
        self._model, self._projector, self._pose = model, projector, machine_from_part
        self.probing, self._may_use = probing, may_use
        self.part = PartObstacle(projector, model.box, machine_from_part)
        known = standing(record or MachineRecord(), self.part)
        axes = tuple(machine_from_part[:3, :3].T)
        self.room = ProbeRoom(probing, known, sphere_center, above=_OVER, axes=axes)
        self._known: dict[tuple[str, float], Places] = {}

    def route(self, feature: FeatureToTouch) -> FeatureRoute | Left:
        """Choose stylus and places for a feature."""
        asked = self.probing.touching(feature.id)
        count, rows = usual_touches(feature.nominal, feature.about)
        count, rows = asked.touches or count, asked.rows or rows
        uses = [asked.stylus] if asked.stylus is not None else list(self.probing.uses())
        usable = [u for u in uses if u is not None and self._may_use(u)]
        if not usable:
            return Left(feature, "no stylus may be used: qualify one")
        least = least_touches(feature.nominal)
        try:
            ranked = sorted(usable, key=lambda u: self._promise(feature, u), reverse=True)
        except DeviceError as error:
            return Left(feature, str(error))
        best: tuple[float, StylusUse] | None = None
        for use in ranked[:_TRIED]:
            places = self._places(feature, use)
            few = places.at(np.linspace(0, len(places) - 1, min(len(places), _SAMPLED)).astype(np.int64))
            share = float(self._reachable(few, use).mean())
            if best is None or share > best[0] + 1e-9:
                best = (share, use)
            if share == 1.0:
                break
        assert best is not None
        use = best[1]
        places = self._places(feature, use)
        places = places.at(self._reachable(places, use))
        if len(places) < least:
            names = ", ".join(sorted({str(u.pose) for u in usable}))
            return Left(
                feature, f"no stylus gets at it (poses {names}): {len(places)} places are free of {least} needed"
            )
        chosen = choose(places, feature.nominal, count, rows, feature.about)
        approach = self._approach(chosen, use)
        chosen = replace(chosen, points=apply(self._pose, chosen.points), normals=rotate(self._pose, chosen.normals))
        return FeatureRoute(feature, use, chosen, approach)

    def _places(self, feature: FeatureToTouch, use: StylusUse) -> Places:
        radius = self.room.shape(use)[1].radius
        key = (feature.id, radius)
        if key not in self._known:
            self._known[key] = self._candidates(feature, radius)
        return self._known[key]

    def _candidates(self, feature: FeatureToTouch, radius: float) -> Places:
        return candidate_places(
            self._model, self._projector, feature.faces, feature.nominal, radius + _MARGIN, feature.about
        )

    def _promise(self, feature: FeatureToTouch, use: StylusUse) -> tuple[float, float]:
        """Return which share of the places the stem does not point into, and how well it points at the surface."""
        direction = self.room.shape(use)[1].direction
        cosine = rotate(self._pose, self._places(feature, use).normals) @ direction
        return round(float((cosine < _STEM_IN).mean()), 2), round(float(-cosine.mean()), 2)

    def _reachable(self, places: Places, use: StylusUse, back: float = 0.0) -> Mask:
        """Tell at which places the probe meets nothing, `back` mm before the surface (0: but what its tip touches)."""
        shape, tip = self.room.shape(use)
        points, normals = apply(self._pose, places.points), rotate(self._pose, places.normals)
        # A stem that points into the surface need not be asked further.
        free = normals @ tip.direction < _STEM_IN
        rows = np.flatnonzero(free)
        at = points[rows] + (tip.radius + back) * normals[rows] - tip.center
        others = np.array([back > 0 or o != f"tip {tip.name}" for o in shape.owner])
        balls = (at[:, None] + shape.centers[others][None]).reshape(-1, 3)
        radii = np.tile(shape.radii[others], len(rows))
        room = room_of_each(balls, radii, self.room.obstacles(use))[0].reshape(len(rows), int(others.sum()))
        free[rows] = room.min(axis=1, initial=np.inf) > (_ROOM if back == 0 else min(_ROOM, 0.4 * back))
        return np.asarray(free)

    def _approach(self, places: Places, use: StylusUse) -> float:
        """Return how far before the surface the probe can be everywhere: less inside of small holes."""
        wanted = self.probing.moves.approach
        for share in (1.0, 0.6, 0.35, 0.2):
            if self._reachable(places, use, share * wanted).all():
                return share * wanted
        return _NEAR


def least_touches(nominal: Nominal | None) -> int:
    """Return how many touches a feature needs at least (None: free-form)."""
    return 1 if nominal is None else RULES[nominal.shape].least
