"""All that is asked of a part's shadow, from one picture: how it lies, its edges, what is made of them, its sizes.

What is looked for where is prepared once; then picture after picture is measured by it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

import numpy as np

from truegauge.core.errors import EvaluationError, TrueGaugeError
from truegauge.core.silhouette.contour import Contoured, ContourLooks, profile_of
from truegauge.core.silhouette.fitting import StraightEdge
from truegauge.core.silhouette.forms import roundness_of, size_range, straightness_of
from truegauge.core.silhouette.looking import Box, Looks, Place, Seen
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.sizes import (
    Reading,
    Spot,
    angle_between,
    between,
    center_of,
    meeting,
    middle_of,
    radius_of,
    size_across,
    spacing,
    symmetry,
)
from truegauge.core.silhouette.threads import Thread, thread_of
from truegauge.core.silhouette.tracking import Tracker

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.calibrating import Calibration
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.looking import Band
    from truegauge.core.silhouette.tracking import Datums

OUT_OF_FOCUS = 1.6  # times as blurred as when it was calibrated, from which on nothing is measured
_FITTED = "fitted "  # before the id of a contour: where it lies on the outline best
_ALONG = {"spacing_x": np.array([1.0, 0.0]), "spacing_y": np.array([0.0, 1.0])}


@dataclass(frozen=True, slots=True)
class MadeOf:
    """Where two edges meet, or the line in their middle."""

    how: Literal["meeting", "middle"]
    edges: tuple[str, str]


@dataclass(frozen=True, slots=True)
class Wanted:
    """A size by its name (`names.SIZES`) of some things by their ids; a size across `at` a place along x."""

    what: str
    of: tuple[str, ...]
    at: float | None = None


@dataclass(frozen=True, eq=False)
class Recipe:
    """What is asked of a part: where it is looked (by ids), what is made of edges, sizes, and how it is found."""

    looks: dict[str, Box | Band]
    made: dict[str, MadeOf] = field(default_factory=dict)
    sizes: dict[str, Wanted] = field(default_factory=dict)
    datums: Datums | None = None
    contours: dict[str, tuple[tuple[Floats, ...], float]] = field(default_factory=dict)  # lines, and how far is looked


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """What a picture told: how the part lies, its edges, what was made of them, sizes; or in words why not.

    `points` of each look are mm of the part (n, 2), NaN where nothing was found. `blur` is how blurred edges are, px.
    """

    place: Place
    points: dict[str, Floats]
    edges: dict[str, Seen | str]
    made: dict[str, StraightEdge | Spot | str]
    sizes: dict[str, Reading | str]
    blur: float
    contours: dict[str, Contoured | str] = field(default_factory=dict)


class Measurer:
    """A recipe that is ready for pictures of one calibrated camera."""

    def __init__(self, recipe: Recipe, known: Calibration) -> None:
        self.recipe, self.known = recipe, known
        self._looks = Looks(tuple(recipe.looks.values()), known.lens.pixel)
        # Sides of threads are no plain edges: they look blurred wherever it is steep.
        sides = {key for wanted in recipe.sizes.values() if SIZES[wanted.what].of[0] == "side" for key in wanted.of}
        self._plain = Looks([look for key, look in recipe.looks.items() if key not in sides], known.lens.pixel)
        self._fitted = {w.of[0] for w in recipe.sizes.values() if w.what == "profile_fitted"} & recipe.contours.keys()
        self._contours = {k: ContourLooks(lines, reach, known.lens.pixel)
                          for k, (lines, reach) in recipe.contours.items()}  # fmt: skip
        self.tracker = None if recipe.datums is None else Tracker(recipe.datums, known.lens)

    def place(self, picture: Picture) -> Place:
        """Return how the part lies; where the plan has no datums, as the picture does.

        Raises
        ------
        EvaluationError
            There is not one whole part, or its elements are not seen: said in words.
        """
        if self.tracker is None:
            return Place()
        found = self.tracker.places(picture)
        if len(found) == 1:
            return found[0][0]
        # Its own elements may fit more ways than one: as it lies most of all edges are seen.
        return min(found, key=lambda one: (self._missing(picture, one[0]), one[1]))[0]

    def _missing(self, picture: Picture, place: Place) -> int:
        return sum(isinstance(one, str) for one in self._looks.seen(picture, self.known.lens, place))

    def measure(self, picture: Picture, place: Place | None = None) -> Measured:
        """Measure a picture; `place` where it is known already how the part lies.

        Raises
        ------
        EvaluationError
            The part is not found, or it is out of focus: said in words.
        """
        lens = self.known.lens
        at = self.place(picture) if place is None else place
        points = self._looks.points(picture, lens, at)
        blur = self._plain.blur(picture, lens, at) if self._plain.looks else np.nan
        if blur > OUT_OF_FOCUS * lens.blur:
            words = f"edges are {blur:.1f} px blurred, {lens.blur:.1f} px when the camera was calibrated"
            raise EvaluationError(f"the picture is out of focus: {words}")
        edges = dict(zip(self.recipe.looks, self._looks.edges_of(points, lens), strict=True))
        rows = {name: points[self._looks.rows_of(k)] for k, name in enumerate(self.recipe.looks)}
        contours = {k: self._contour(picture, looks, at) for k, looks in self._contours.items()}
        for k in self._fitted:
            contours[_FITTED + k] = self._contour(picture, self._contours[k], at, fitted=True)
        told = _Telling(self.recipe, self.known, rows, edges, contours)
        shown = {k: c for k, c in contours.items() if not k.startswith(_FITTED)}
        return Measured(at, rows, edges, told.made, told.sizes, float(blur), shown)

    def _contour(
        self, picture: Picture, looks: ContourLooks, at: Place, *, fitted: bool = False
    ) -> Contoured | str:  # fmt: skip
        try:
            return (looks.fitted if fitted else looks.seen)(picture, self.known, at)
        except EvaluationError as error:
            return str(error)


class _Telling:
    """What edges tell; a size that cannot be told is a reason in words."""

    def __init__(
        self, recipe: Recipe, known: Calibration, points: dict[str, Floats], edges: dict[str, Seen | str],
        contours: dict[str, Contoured | str],
    ) -> None:  # fmt: skip
        self._contours = contours
        self._recipe, self._known, self._points, self._edges = recipe, known, points, edges
        self._threads: dict[tuple[str, ...], Thread | str] = {}
        self.made: dict[str, StraightEdge | Spot | str] = {}
        for key, one in recipe.made.items():
            self.made[key] = self._make(one)
        self.sizes: dict[str, Reading | str] = {}
        for key, wanted in recipe.sizes.items():
            try:
                self.sizes[key] = self._size(wanted)
            except TrueGaugeError as error:
                self.sizes[key] = str(error)

    def _make(self, one: MadeOf) -> StraightEdge | Spot | str:
        try:
            a, b = (self._straight(e) for e in one.edges)
            return meeting(a, b, self._known) if one.how == "meeting" else middle_of(a, b)
        except TrueGaugeError as error:
            return str(error)

    def _seen(self, key: str) -> Seen:
        found = self._edges.get(key)
        if found is None:
            raise EvaluationError("its edge is no longer in the plan")
        if isinstance(found, str):
            raise EvaluationError(found)
        return found

    def _thing(self, key: str) -> StraightEdge | Spot:
        """Return a straight edge or a middle line, or a place: of a round edge its centre."""
        made = self.made.get(key)
        if isinstance(made, str):
            raise EvaluationError(made)
        if made is not None:
            return made
        edge = self._seen(key).edge
        return edge if isinstance(edge, StraightEdge) else center_of(edge, self._known)

    def _straight(self, key: str) -> StraightEdge:
        found = self._thing(key)
        if not isinstance(found, StraightEdge):
            raise EvaluationError("it is told of straight edges: this one is none")
        return found

    def _size(self, wanted: Wanted) -> Reading:
        known, of = self._known, wanted.of
        datums = self._recipe.datums
        if datums is not None and not datums.turn and (wanted.what in _ALONG or wanted.at is not None):
            raise EvaluationError("no edge holds the turn of the part: x and y have no direction")
        if datums is not None and datums.stop is None and wanted.at is not None:
            raise EvaluationError("no edge holds where x begins: there is no place of x")
        asked = SIZES[wanted.what]
        if asked.of[0] == "side":
            return self._of_thread(wanted)
        if asked.of[0] == "contour":
            return self._of_contour(wanted)
        match wanted.what:
            case "size":
                return size_across(self._straight(of[0]), self._straight(of[1]), known, wanted.at)
            case "size_least" | "size_most" | "size_mean":
                found = size_range(self._seen(of[0]), self._seen(of[1]), known)
                ends = {"size_least": found.smallest, "size_most": found.largest, "size_mean": found.mean}
                return ends[wanted.what]
            case "spacing" | "spacing_x" | "spacing_y" | "height":
                return between(self._thing(of[0]), self._thing(of[1]), known, _ALONG.get(wanted.what))
            case "angle":
                return angle_between(self._straight(of[0]), self._straight(of[1]), known)
            case "straightness":
                return straightness_of(self._seen(of[0]), known)
            case "roundness":
                return roundness_of(self._seen(of[0]), known)
            case "symmetry":
                return symmetry(self._straight(of[0]), self._straight(of[1]), known)
        edges = [self._seen(key).edge for key in of]
        rounds = [e for e in edges if not isinstance(e, StraightEdge)]
        if len(rounds) < len(edges):
            raise EvaluationError("it is told of round edges: this one is straight")
        if wanted.what == "coaxiality":
            off = spacing(center_of(rounds[0], known), center_of(rounds[1], known), known)
            return Reading(2 * off.value, 2 * off.uncertainty)
        own = radius_of(rounds[0], known)
        return Reading(2 * own.value, 2 * own.uncertainty) if wanted.what == "diameter" else own

    def _of_contour(self, wanted: Wanted) -> Reading:
        key = f"{_FITTED if wanted.what == 'profile_fitted' else ''}{wanted.of[0]}"
        found = self._contours.get(key, "the contour is no longer in the plan")
        if isinstance(found, str):
            raise EvaluationError(found)
        return profile_of(found, self._known)

    def _of_thread(self, wanted: Wanted) -> Reading:
        if wanted.of not in self._threads:
            try:
                self._threads[wanted.of] = self._thread(wanted.of)
            except TrueGaugeError as error:
                self._threads[wanted.of] = str(error)
        found = self._threads[wanted.of]
        if isinstance(found, str):
            raise EvaluationError(found)
        told = {"thread_outer": found.outer, "thread_core": found.core, "thread_pitch": found.pitch,
                "thread_flank_angle": found.flank_angle, "thread_pitch_diameter": found.pitch_diameter}  # fmt: skip
        return told[wanted.what]

    def _thread(self, of: tuple[str, ...]) -> Thread:
        """Return what the two sides of a thread tell, in coordinates along the middle between their boxes."""
        boxes = [self._recipe.looks.get(key) for key in of]
        a, b = boxes
        if not isinstance(a, Box) or not isinstance(b, Box):
            raise EvaluationError("a thread is seen in two boxes, one for either side")
        up = np.array([a.x - b.x, a.y - b.y])
        own = np.array([np.cos(a.turn), np.sin(a.turn)])
        y = own if float(own @ up) > 0 else -own
        x = np.array([y[1], -y[0]])
        middle = 0.5 * np.array([a.x + b.x, a.y + b.y])
        above, below = ((self._points[key] - middle) @ np.column_stack([x, y]) for key in of)
        return thread_of(above, below, self._known)
