"""How large a pixel is, how square and how distorted a picture: from a plate with dots, or from pins."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.edges import blur_of, edges_along
from truegauge.core.silhouette.fitting import StraightEdge, round_edge, straight_edge
from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.shadows import shadows_in

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import Picture

_RAYS, _BEYOND, _LEAST_DOTS = 72, 12.0, 12
_LEFT_OUT = 0.3  # px that a point is off an edge, from which on it may be none of it
_BLUR = 1.2  # px, to begin with
_ACROSS = 400  # rays to either side of a pin
_STEEP = 0.5  # sine between pins, from which both sides of a pixel are told
_TOLD = 0.2  # of what three numbers are told by, that the least known of them is
_ANOTHER = 0.1  # of their width, that dots are wider or narrower than they should, to be those of another plate
_EDGES = 0.01  # px that an edge may be off at the corner of a picture where light is uneven
_ABOUT_MIDDLE, _DOT_NOISE = 1 / 15.0, 1e-4  # 1/px that a distortion has its middle off that of the picture; of a pitch
_PLACES = 5  # pins that tell of a distortion


@dataclass(frozen=True, slots=True)
class Plate:
    """A plate with round dark dots on a square grid: `pitch` and `diameter` mm, standard uncertainty of the pitch."""

    pitch: float
    diameter: float
    pitch_u: float = 2e-5


@dataclass(frozen=True, slots=True)
class Pin:
    """A pin of a known diameter, mm, and its standard uncertainty."""

    diameter: float
    diameter_u: float = 2e-4


@dataclass(frozen=True, slots=True, eq=False)
class Calibration:
    """A lens as it was found, `by` a plate or pins: the relative standard uncertainty of its scale, and what is left.

    `left` is the rms of residuals, px; `notes` say what could not be told.
    """

    lens: Lens
    scale_u: float
    left: float
    by: str
    notes: tuple[str, ...] = ()


def calibrated_by_plate(picture: Picture, plate: Plate) -> Calibration:
    """Find the lens from a picture of a plate, which lies anyhow.

    Raises
    ------
    EvaluationError
        Too few dots are seen, they are on no grid, or wider or narrower than those of the plate.
    """
    from scipy.optimize import least_squares

    dots = [s for s in shadows_in(picture) if not s.at_border]
    usual = float(np.median([s.area for s in dots])) if dots else 0.0
    dots = [s for s in dots if 0.5 * usual < s.area < 2.0 * usual]
    if len(dots) < _LEAST_DOTS:
        raise EvaluationError(f"{len(dots)} dots of the plate are seen whole: {_LEAST_DOTS} are the least")
    a = np.linspace(0.0, 2 * np.pi, _RAYS, endpoint=False)
    ways = np.column_stack([np.cos(a), np.sin(a)])
    reach = np.sqrt(usual / np.pi)
    places, blurs, radii = [], [], []
    for dot in dots:
        starts = np.tile(dot.middle, (_RAYS, 1)) + max(0.0, reach - _BEYOND) * ways
        found = edges_along(picture, starts, ways, 2 * _BEYOND, _BLUR, turn="to light")
        if np.isfinite(found.along).sum() > _RAYS // 2:
            edge = round_edge(found.places, _LEFT_OUT)
            places.append(edge.center)
            radii.append(edge.radius)
            blurs.append(blur_of(picture, starts, ways, 2 * _BEYOND, found.along))
    at = np.array(places)
    grid = _on_grid(at)
    center = np.array([(picture.shape[1] - 1) / 2.0, (picture.shape[0] - 1) / 2.0])
    wanted = plate.pitch * grid
    far = float(np.abs(at - center).max())

    def off(x: Floats) -> Floats:
        own = (at - center) / far - x[7:9]
        d = own * (1.0 + x[6] * np.square(own).sum(axis=1))[:, None]
        # Where there is hardly a distortion nothing tells its middle: that of the picture is as good.
        likely = x[7:9] * (_ABOUT_MIDDLE * far * plate.pitch * _DOT_NOISE)
        return np.append((d @ x[:4].reshape(2, 2).T + x[4:6] - wanted).ravel(), likely)

    columns = np.column_stack([(at - center) / far, np.ones(len(at))])
    start = np.linalg.lstsq(columns, wanted, rcond=None)[0]
    begin = [*start[:2].T.ravel(), *start[2], 0.0, 0.0, 0.0]
    solved = least_squares(off, begin, x_scale="jac", xtol=1e-14, ftol=1e-14)
    matrix = _upright(solved.x[:4].reshape(2, 2) / far)
    lens = Lens(center + far * solved.x[7:9], matrix, float(solved.x[6] / far**2), float(np.nanmedian(blurs)))
    lens = replace(lens, center_at=-lens.mm(center[None])[0])  # mm begin in the middle of the picture
    wide = 2.0 * float(np.median(radii)) * lens.pixel
    if abs(wide / plate.diameter - 1.0) > _ANOTHER:
        raise EvaluationError(
            f"the dots are {wide:.3g} mm wide where they are {plate.pitch:g} mm apart, not {plate.diameter:g} mm: is "
            "it another plate?"
        )
    noise = float(np.sqrt(2 * solved.cost / max(1, 2 * len(at) - 9)))
    covariance = noise**2 * np.linalg.inv(solved.jac.T @ solved.jac)
    # The area of a pixel is the determinant; half of its relative uncertainty is that of a length.
    m = solved.x[:4].reshape(2, 2)
    slope = np.array([m[1, 1], -m[1, 0], -m[0, 1], m[0, 0]]) / (2 * np.linalg.det(m))
    own = float(np.sqrt(slope @ covariance[:4, :4] @ slope))
    scale_u = float(
        np.linalg.norm(np.array([own, plate.pitch_u / plate.pitch, _EDGES / float(np.linalg.norm(center))]))
    )
    return Calibration(lens, scale_u, noise / lens.pixel, "plate")


def _on_grid(at: Floats) -> Floats:
    """Return the whole numbers (n, 2) of dots at places (n, 2): along rows, as they are nearest to the picture's."""
    from scipy.spatial import cKDTree

    first = int(np.argmin(np.linalg.norm(at - at.mean(axis=0), axis=1)))
    near = at[cKDTree(at).query(at[first], k=5)[1][1:]] - at[first]
    x = near[int(np.argmax(near[:, 0]))]
    y = near[int(np.argmin(near[:, 1]))]
    rows = np.linalg.solve(np.column_stack([x, y]), (at - at[first]).T).T
    made = np.round(rows)
    # Far from the first one a distortion adds up: the basis is that of all that are near already.
    for _ in range(3):
        own = np.abs(rows - made).max(axis=1) < 0.3
        fitted = np.linalg.lstsq(np.column_stack([at[own], np.ones(own.sum())]), made[own], rcond=None)[0]
        rows = np.column_stack([at, np.ones(len(at))]) @ fitted
        made = np.round(rows)
    if np.abs(rows - made).max() > 0.4:
        raise EvaluationError("the dots of the plate are on no square grid")
    return np.asarray(made, dtype=np.float64)


def _upright(matrix: Floats) -> Floats:
    """Return a matrix turned so that mm go to the right as pixels do."""
    turn = -np.arctan2(matrix[1, 0], matrix[0, 0])
    c, s = np.cos(turn), np.sin(turn)
    return np.asarray(np.array([[c, -s], [s, c]]) @ matrix)


def calibrated_by_pins(pictures: Sequence[tuple[Picture, Pin]]) -> Calibration:
    """Find the lens from pictures of a pin each, which lies anyhow.

    The size of a pixel is told by one; both sides of it by pins that lie across each other; a distortion by some that
    lie at several places.

    Raises
    ------
    EvaluationError
        There is no pin in a picture.
    """
    from scipy.optimize import least_squares

    seen = [sides_of_pin(picture, k) for k, (picture, _) in enumerate(pictures, 1)]
    if not seen:
        raise EvaluationError("there is no picture of a pin")
    shape = pictures[0][0].shape
    center = np.array([(shape[1] - 1) / 2.0, (shape[0] - 1) / 2.0])
    ways = np.array([own.way for _, _, own, _ in seen])
    # What a width tells of the three numbers of a pixel's shape, along and across and aslant.
    told = np.column_stack([np.ones(len(seen)), ways[:, 0] ** 2 - ways[:, 1] ** 2, 2 * ways[:, 0] * ways[:, 1]])
    values = np.linalg.svd(told, compute_uv=False)
    crossed = float(np.abs(ways[:, 0] * ways[0, 1] - ways[:, 1] * ways[0, 0]).max()) > _STEEP
    aslant = len(values) == 3 and float(values[-1]) > _TOLD * np.sqrt(len(seen))
    placed = len(seen) >= _PLACES
    far = float(np.linalg.norm(center))
    unknown = [k for k, known in enumerate((True, crossed, placed, aslant)) if known]
    weights = np.array([pin.diameter_u for _, pin in pictures])
    diameters = np.array([pin.diameter for _, pin in pictures])
    start = float(np.median(diameters / np.array([abs(line.off(b).mean()) for _, b, line, _ in seen])))

    def lens_of(x: Floats) -> Lens:
        full = np.zeros(4)
        full[unknown] = x - 1.0  # about 1, so that steps of differences are what they should
        size = start * np.exp(full[0])
        matrix = size * np.array([[np.exp(full[1]), full[3]], [0.0, -np.exp(-full[1])]])
        return Lens(center, matrix, full[2] / far**2)

    def off(x: Floats) -> Floats:
        lens = lens_of(x)
        made = []
        for a, b, _, _ in seen:
            line = straight_edge(lens.mm(a), _LEFT_OUT * lens.pixel)
            made.append(abs(float(line.off(lens.mm(b)).mean())))
        return np.asarray((np.array(made) - diameters) / weights)

    solved = least_squares(off, np.ones(len(unknown)), x_scale=1e-4, diff_step=1e-6, xtol=1e-14, ftol=1e-14)
    found = lens_of(solved.x)
    blur = float(np.nanmedian([b for *_, b in seen]))
    lens = Lens(found.center, found.matrix, found.distortion, blur)
    covariance = np.linalg.inv(solved.jac.T @ solved.jac)
    noise = np.array([line.offset_u for _, _, line, _ in seen]) * lens.pixel * np.sqrt(2) / weights
    own = float(np.sqrt(covariance[0, 0] * (1.0 + np.square(noise).mean())))
    scale_u = float(np.hypot(own, _EDGES / far))
    left = float(np.sqrt(np.mean(np.square(solved.fun * weights)))) / lens.pixel
    said = []
    if not crossed:
        said.append("pins across each other tell both sides of a pixel: these do not")
    elif not aslant:
        said.append("pins aslant to each other tell whether pixels are square: these do not")
    if not placed:
        said.append(f"{_PLACES} pins at several places tell of a distortion: these do not")
    return Calibration(lens, scale_u, left, "pins", tuple(said))


def width_of_pin(picture: Picture, known: Calibration) -> tuple[float, float]:
    """Return how wide a pin is that lies anyhow, mm, by a calibration, and its standard uncertainty.

    Raises
    ------
    EvaluationError
        There is no pin.
    """
    a, b, _, _ = sides_of_pin(picture)
    lens = known.lens
    line = straight_edge(lens.mm(a), _LEFT_OUT * lens.pixel)
    other = straight_edge(lens.mm(b), _LEFT_OUT * lens.pixel)
    wide = abs(float(line.off(other.point[None])[0]))
    own = [line.offset_u, other.offset_u, _EDGES * lens.pixel, known.scale_u * wide]
    return wide, float(np.linalg.norm(np.array(own)))


def sides_of_pin(picture: Picture, number: int = 1) -> tuple[Floats, Floats, StraightEdge, float]:
    """Return points (n, 2) px of both sides of a pin, the line through the first ones, and the blur, px.

    Raises
    ------
    EvaluationError
        There is no pin.
    """
    shadows = shadows_in(picture)
    if not shadows:
        raise EvaluationError(f"there is no pin in picture {number}")
    own = shadows[0]
    along = own.along
    across = np.array([-along[1], along[0]])
    half = np.sqrt(3.0 * float(np.linalg.eigvalsh(own.spread)[0]))
    long = 0.8 * np.sqrt(3.0 * float(np.linalg.eigvalsh(own.spread)[1]))
    places = own.middle + np.linspace(-long, long, _ACROSS)[:, None] * along
    made, blurs = [], []
    for side in (1.0, -1.0):
        ways = np.tile(side * across, (_ACROSS, 1))
        reach = 2.0 * half + _BEYOND  # clipped by the border its moments tell it roughly only
        found = edges_along(picture, places, ways, reach, _BLUR, turn="to light")
        known = np.isfinite(found.along)
        if known.sum() < _ACROSS // 3:
            raise EvaluationError(f"the sides of the pin in picture {number} are not seen")
        line = straight_edge(found.places, _LEFT_OUT)
        made.append((found.places[line.used], line))
        near = found.places[known] - _BEYOND * ways[known]
        blurs.append(blur_of(picture, near, ways[known], 2 * _BEYOND, np.full(len(near), _BEYOND)))
    (a, line), (b, _) = made
    return a, b, line, float(np.mean(blurs))
