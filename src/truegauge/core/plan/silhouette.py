"""What is measured of a part's shadow: where edges are looked for, what is made of them, sizes, how the part is found.

Frozen models. Lengths in mm, angles in rad, coordinates of the part as it was taught. A characteristic refers to a size
by its id, as to a feature.
"""

import base64
import binascii
import zlib
from functools import cached_property
from typing import Annotated, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from truegauge.core.arrays import Floats
from truegauge.core.frozen_model import Frozen, Two
from truegauge.core.plan.lens import LensRecord
from truegauge.core.silhouette.edges import Chosen, Turn
from truegauge.core.silhouette.looking import Band, Box, Place
from truegauge.core.silhouette.measuring import MadeOf, Recipe, Wanted
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.signature import BINS, Signature
from truegauge.core.silhouette.stencil import Stencil
from truegauge.core.silhouette.tracking import Datums

MOST_EDGES, MOST_SIZES = 400, 400
_LONGEST = 5000.0  # mm
_CELLS, _PLACES = 4_000_000, 200_000
Id = Annotated[str, Field(min_length=1, max_length=80)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Length = Annotated[float, Field(gt=0, le=_LONGEST)]
Coordinate = Annotated[float, Field(ge=-_LONGEST, le=_LONGEST)]


class ShadowBox(Frozen):
    """A box that a straight edge is looked for in: its middle, the direction that it is looked along, its sides."""

    shape: Literal["box"] = "box"
    x: Coordinate
    y: Coordinate
    turn: float = 0.0
    reach: Length
    wide: Length


class ShadowBand(Frozen):
    """A band along an arc that a round edge is looked for in, from its inner side outwards or back."""

    shape: Literal["band"] = "band"
    x: Coordinate
    y: Coordinate
    radius: Length
    begin: float = 0.0
    end: float = 2 * np.pi
    reach: Length
    inwards: bool = False

    @model_validator(mode="after")
    def _has_an_arc(self) -> Self:
        if not 0.0 < self.end - self.begin <= 2 * np.pi + 1e-9:
            raise ValueError("the arc of a band goes to the left, by a whole turn at most")
        return self


class ShadowThing(Frozen):
    """Something of a silhouette with a name."""

    id: Id
    name: Name


class ShadowEdge(ShadowThing):
    """An edge: where it is looked for, whether to light or to dark, and which one of several.

    It is looked along many rays (`dense`) for what is told of it place by place: extremes, straightness, threads.
    """

    look: ShadowBox | ShadowBand = Field(discriminator="shape")
    turn: Turn = "to light"
    chosen: Chosen = "strongest"

    def looked(self, *, dense: bool, fine: bool = False) -> Box | Band:
        """Return where it is looked for."""
        own = self.look
        if isinstance(own, ShadowBox):
            return Box(own.x, own.y, own.turn, own.reach, own.wide, self.turn, self.chosen, dense, fine)
        return Band(own.x, own.y, own.radius, own.begin, own.end, own.reach, self.turn, self.chosen, own.inwards, dense)


class ShadowPoint(ShadowThing):
    """What is made of two edges: where they meet, or the line in their middle."""

    how: Literal["meeting", "middle"] = "meeting"
    edges: tuple[Id, Id]


class ShadowContour(ShadowThing):
    """A nominal contour that the outline is compared with: lines of places, mm of the part; how far is looked off it.

    `counts` are the places of each line, `places` (x and y one after the other, float64, zlib, base64) all of them.
    """

    counts: tuple[int, ...] = Field(min_length=1, max_length=2000)
    places: str
    reach: Length = 1.0

    @model_validator(mode="after")
    def _is_whole(self) -> Self:
        if min(self.counts) < 2 or sum(self.counts) > _PLACES:
            raise ValueError(f"{self.name}: a contour has lines of two places at least, {_PLACES:,} in all at most")
        if not np.isfinite(self._flat()).all() or np.abs(self._flat()).max() > _LONGEST:
            raise ValueError(f"{self.name}: a contour has places that are none")
        return self

    @classmethod
    def of(cls, contour_id: str, name: str, lines: tuple[Floats, ...], reach: float = 1.0) -> Self:
        """Return a contour of lines (n, 2) mm."""
        flat = np.vstack(lines).astype("<f8")
        text = base64.b64encode(zlib.compress(flat.tobytes(), 9)).decode()
        return cls(id=contour_id, name=name, counts=tuple(len(line) for line in lines), places=text, reach=reach)

    def _flat(self) -> Floats:
        count = 16 * sum(self.counts)
        try:
            data = zlib.decompressobj().decompress(base64.b64decode(self.places, validate=True), count + 1)
        except (binascii.Error, zlib.error) as error:
            raise ValueError(f"{self.name}: the contour is broken ({error})") from None
        if len(data) != count:
            raise ValueError(f"{self.name}: the contour has not as many places as it says")
        return np.frombuffer(data, dtype="<f8").reshape(-1, 2).astype(np.float64)

    @cached_property
    def lines(self) -> tuple[Floats, ...]:
        """The lines (n, 2) mm."""
        return tuple(np.split(self._flat(), np.cumsum(self.counts)[:-1]))


class ShadowSize(ShadowThing):
    """A size by its name (`core.silhouette.names`), of edges and what is made of them; across `at` a place of x.

    `value_at` is where its value stands, mm of the part; None: where there is room.
    """

    what: str
    of: tuple[Id, ...] = Field(min_length=1, max_length=2)
    at: Coordinate | None = None
    value_at: Two | None = None

    @model_validator(mode="after")
    def _is_told(self) -> Self:
        asked = SIZES.get(self.what)
        if asked is None:
            raise ValueError(f"{self.name}: {self.what!r} is not told of a silhouette")
        if len(self.of) != len(asked.of):
            raise ValueError(f"{self.name}: {asked.words} is told of {len(asked.of)}, not of {len(self.of)}")
        return self

    @property
    def group(self) -> str:
        """What selecting it selects."""
        return self.id


class ShadowTaught(Frozen):
    """The shadow that a part is found by: how it lay, how far it reached all around, which cells were dark or light."""

    origin: Two
    turn: float
    mirrored: bool = False
    middle: Two
    reach: tuple[float, ...] = Field(min_length=BINS, max_length=BINS)
    area: float = Field(gt=0)
    corner: Two
    cell: float = Field(gt=0)
    cells: tuple[int, int]
    dark: str
    light: str

    @model_validator(mode="after")
    def _cells_are_whole(self) -> Self:
        rows, columns = self.cells
        if rows < 1 or columns < 1 or rows * columns > _CELLS:
            raise ValueError("the cells of the taught shadow have no size")
        for name in ("dark", "light"):
            _unpacked(getattr(self, name), self.cells)
        return self

    @classmethod
    def of(cls, place: Place, seen: Signature, stencil: Stencil) -> Self:
        """Return what is kept of a part that lay at a place."""
        rows, columns = stencil.dark.shape
        return cls.model_validate({
            "origin": tuple(place.origin.tolist()), "turn": float(place.turn),
            "mirrored": place.mirrored, "middle": tuple(seen.middle.tolist()),
            "reach": tuple(np.round(seen.reach, 6).tolist()), "area": float(seen.area),
            "corner": tuple(stencil.corner.tolist()), "cell": float(stencil.cell), "cells": (rows, columns),
            "dark": _packed(stencil.dark), "light": _packed(stencil.light),
        })  # fmt: skip

    @cached_property
    def place(self) -> Place:
        """How it lay."""
        return Place(np.array(self.origin), self.turn, self.mirrored)

    @cached_property
    def signature(self) -> Signature:
        """Its shadow from afar."""
        return Signature(np.array(self.middle), np.array(self.reach), self.area)

    @cached_property
    def stencil(self) -> Stencil:
        """Its shadow in cells."""
        dark, light = _unpacked(self.dark, self.cells), _unpacked(self.light, self.cells)
        return Stencil(np.array(self.corner), self.cell, dark, light)


def _packed(cells: NDArray[np.bool_]) -> str:
    return base64.b64encode(zlib.compress(np.packbits(cells).tobytes(), 9)).decode()


def _unpacked(text: str, shape: tuple[int, int]) -> NDArray[np.bool_]:
    count = shape[0] * shape[1]
    try:
        unzip = zlib.decompressobj()
        data = unzip.decompress(base64.b64decode(text, validate=True), (count + 7) // 8 + 1)
    except (binascii.Error, zlib.error) as error:
        raise ValueError(f"the cells of the taught shadow are broken ({error})") from None
    if len(data) != (count + 7) // 8:
        raise ValueError("the cells of the taught shadow are not as many as they should be")
    return np.unpackbits(np.frombuffer(data, dtype=np.uint8), count=count).astype(bool).reshape(shape)


class ShadowDatums(Frozen):
    """The elements of the part's coordinates: along one or two edges goes x, at another (or a centre) it begins.

    The line of the first ones is at y = `level`, the stop at x = `at`. Either may be left out: without a stop (empty) x
    begins roughly, with a round stop alone its direction is rough. A part may lie end for end, or upside down.
    """

    turn: tuple[Id, ...] = Field(default=(), max_length=2)
    stop: str = Field(default="", max_length=80)
    level: Coordinate = 0.0
    at: Coordinate = 0.0
    end_for_end: bool = True
    upside_down: bool = False


class Silhouette(Frozen):
    """A part measured in its shadow. `lens` is the camera that the plan was made with."""

    edges: tuple[ShadowEdge, ...] = Field(default=(), max_length=MOST_EDGES)
    points: tuple[ShadowPoint, ...] = Field(default=(), max_length=MOST_EDGES)
    contours: tuple[ShadowContour, ...] = Field(default=(), max_length=20)
    sizes: tuple[ShadowSize, ...] = Field(default=(), max_length=MOST_SIZES)
    datums: ShadowDatums | None = None
    taught: ShadowTaught | None = None
    lens: LensRecord | None = None

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        edges = {e.id: e for e in self.edges}
        ids = [t.id for t in (*self.edges, *self.points, *self.contours, *self.sizes)]
        if len(set(ids)) != len(ids):
            raise ValueError("two edges, points or sizes of the silhouette have the same id")
        for p in self.points:
            if set(p.edges) - edges.keys():
                raise ValueError(f"{p.name} is made of an edge that the plan does not have")
        things = edges.keys() | {t.id for t in (*self.points, *self.contours)}
        for s in self.sizes:
            if set(s.of) - things:
                raise ValueError(f"{s.name} is told of an edge that the plan does not have")
        if self.datums is not None:
            own = {*self.datums.turn, self.datums.stop} - {""}
            stop = edges.get(self.datums.stop)
            if own - edges.keys():
                raise ValueError("the part is found by an edge that the plan does not have")
            if any(isinstance(edges[t].look, ShadowBand) for t in self.datums.turn):
                raise ValueError("x goes along straight edges: a round one tells no direction")
            if not self.datums.turn and (stop is None or isinstance(stop.look, ShadowBox)):
                raise ValueError("a part is found by a straight edge that x goes along, or by a round one")
        return self

    def edge(self, edge_id: str) -> ShadowEdge | None:
        """Return an edge by its id."""
        return next((e for e in self.edges if e.id == edge_id), None)

    def size(self, size_id: str) -> ShadowSize | None:
        """Return a size by its id."""
        return next((s for s in self.sizes if s.id == size_id), None)

    @property
    def things(self) -> tuple[ShadowThing, ...]:
        """Edges, and what is made of them: what sizes are told of."""
        return (*self.edges, *self.points, *self.contours)

    def named(self, thing_id: str) -> str:
        """Return the name of an edge or a point."""
        return next((t.name for t in self.things if t.id == thing_id), "")

    @cached_property
    def recipe(self) -> Recipe:
        """What is asked of a picture."""
        dense = {k for s in self.sizes if SIZES[s.what].dense for k in s.of}
        sides = {k for s in self.sizes if SIZES[s.what].of[0] == "side" for k in s.of}
        looks = {e.id: e.looked(dense=e.id in dense, fine=e.id in sides) for e in self.edges}
        made = {p.id: MadeOf(p.how, p.edges) for p in self.points}
        sizes = {s.id: Wanted(s.what, s.of, s.at) for s in self.sizes}
        contours = {c.id: (c.lines, c.reach) for c in self.contours}
        return Recipe(looks, made, sizes, self.tracked(), contours)

    def tracked(self) -> Datums | None:
        """Return what the part is found by; None where it is not: it is taken to lie as the picture does."""
        if self.datums is None or self.taught is None:
            return None
        own = {e.id: e for e in self.edges}
        turn = tuple(box for t in self.datums.turn if isinstance(box := own[t].looked(dense=False), Box))
        stop = own[self.datums.stop].looked(dense=False) if self.datums.stop else None
        d = self.datums
        return Datums(turn, stop, self.taught.signature, self.taught.place, d.level, d.at, d.end_for_end, d.upside_down)

    @property
    def content(self) -> tuple[object, ...]:
        """What values depend on: not names, nor where values stand."""
        return (
            tuple((e.id, e.look, e.turn, e.chosen) for e in self.edges),
            tuple((p.id, p.how, p.edges) for p in self.points),
            tuple((c.id, c.counts, c.places, c.reach) for c in self.contours),
            tuple((s.id, s.what, s.of, s.at) for s in self.sizes), self.datums, self.taught,
        )  # fmt: skip
