"""What drags and choices make of a silhouette: edges, sizes, what is made of edges; what can be told of a selection."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.app.stages.silhouette.handles import in_part
from truegauge.core.authoring.silhouettes import add_size, offers, with_contour, with_edge, with_point, without_things
from truegauge.core.commands.silhouettes import SetSilhouette
from truegauge.core.errors import TrueGaugeError
from truegauge.core.plan.silhouette import ShadowBox, ShadowSize, Silhouette
from truegauge.core.silhouette.fitting import StraightEdge
from truegauge.core.silhouette.gestures import edge_along, edges_across
from truegauge.core.silhouette.looking import Box, Place, Seen
from truegauge.core.silhouette.measuring import Measurer, Recipe, Wanted
from truegauge.core.silhouette.names import SIZES
from truegauge.core.tolerancing.general import length_tolerance

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.looking import Band
    from truegauge.core.silhouette.sizes import Reading

# What a value is rounded to, to be a nominal, where it is as near.
_ROUND_MM = ((0.5, 0.04), (0.1, 0.025), (0.01, 1.0))
_ROUND_RAD = tuple((np.radians(step), np.radians(near)) for step, near in ((5.0, 0.25), (1.0, 0.1), (0.1, 1.0)))
_TAPERS = 0.08  # sine between edges, from which on they have no distance but at a place
_PROFILE = 0.1  # mm, a usual tolerance of a profile
_FORM, _ANGLE = 0.02, np.radians(1.0)  # usual tolerances of forms and angles


@dataclass(frozen=True, slots=True)
class Offer:
    """A size that can be told of what is selected, with its value now, or why there is none."""

    what: str
    words: str
    value: Reading | str
    at: float | None = None  # of a size across a taper: where it is told


class SilhouetteEdits:
    """Changes of the silhouette of the plan, each a step of undo."""

    def __init__(self, model: SilhouetteModel) -> None:
        self._model = model

    def offered(self) -> list[Offer]:
        """Return the sizes that can be told of the selection, with their values now."""
        own, seen = self._model.silhouette, self._model.seen
        if own is None or not self._model.selected:
            return []
        whats, at = offers(own, self._model.selected), self._tapers_at(own)
        told: dict[str, Reading | str] = {}
        if seen is not None and seen.lens is not None and self._model.found is not None and seen.silhouette is own:
            try:
                measure = Measurer(_asked(own, self._model.selected, whats, at).recipe, seen.lens.calibration)
                told = dict(measure.measure(seen.picture.pixels, self._model.found.place).sizes)
            except TrueGaugeError as error:
                told = dict.fromkeys(whats, str(error))
        made_offers = [Offer(w, SIZES[w].words, told.get(w, "there is no picture"), at if w == "size" else None)
                       for w in whats]  # fmt: skip
        # What this picture does not tell is hardly meant.
        return sorted(made_offers, key=lambda o: isinstance(o.value, str))

    def _tapers_at(self, own: Silhouette) -> float | None:
        """Return where a size across two edges is told that lie aslant to each other; None: they do not."""
        boxes = [e.look for e in own.edges if e.id in self._model.selected and isinstance(e.look, ShadowBox)]
        found = self._model.found
        seen = [] if found is None else [found.edges.get(k) for k in self._model.selected]
        ways = [s.edge.way for s in seen if isinstance(s, Seen) and isinstance(s.edge, StraightEdge)]
        if len(boxes) != 2 or len(ways) != 2:
            return None
        sine = abs(float(ways[0][0] * ways[1][1] - ways[0][1] * ways[1][0]))
        return round((boxes[0].x + boxes[1].x) / 2, 2) if sine > _TAPERS else None

    def change(self, own: Silhouette, label: str, merge_key: str = "") -> bool:
        """Change the silhouette of the plan."""
        return self._model.session.run(SetSilhouette(own, label, merge_key=merge_key))

    def preview(self, start: Floats, end: Floats) -> tuple[list[Box | Band], Reading | str]:
        """Return what a drag between two places (2,) mm of the picture finds: boxes, and the value; or why nothing."""
        seen = self._model.seen
        if seen is None or seen.lens is None:
            return [], self._model.why_not
        known, pixels = seen.lens.calibration, seen.picture.pixels
        try:
            if self._model.tool == "across":
                looks: list[Box | Band] = list(edges_across(pixels, known.lens, start, end))
                wanted = {"s": Wanted("size", ("0", "1"))}
            else:
                looks = [edge_along(pixels, known.lens, start, end)]
                wanted = {} if isinstance(looks[0], Box) else {"s": Wanted("radius", ("0",))}
            recipe = Recipe({str(k): look for k, look in enumerate(looks)}, {}, wanted)
            found = Measurer(recipe, known).measure(pixels, Place())
        except TrueGaugeError as error:
            return [], str(error)
        return looks, found.sizes.get("s", "")

    def take(self, start: Floats, end: Floats) -> None:
        """Put into the plan what a drag found: edges, and across a part the size between them."""
        own = self._model.silhouette
        looks, value = self.preview(start, end)
        if own is None or not looks:
            self._model.session.notify(str(value))
            return
        ids = []
        for look in looks:
            own, edge = with_edge(own, in_part(look, self._model.place))
            own = own.replace(edges=(*own.edges[:-1], edge.replace(turn=look.edge)))
            ids.append(edge.id)
        if self._model.tool == "across" and not isinstance(value, str):
            self._add(own, "size", tuple(ids), value)
        else:
            self.change(own, "add an edge")
        self._model.select(tuple(ids))

    def accept(self, offer: Offer) -> None:
        """Make an offered size a characteristic."""
        own = self._model.silhouette
        if own is not None and not isinstance(offer.value, str):
            self._add(own, offer.what, self._model.selected, offer.value, offer.at)

    def _add(
        self, own: Silhouette, what: str, of: tuple[str, ...], value: Reading, at: float | None = None
    ) -> None:  # fmt: skip
        nominal, tolerance = usual_limits(what, value.value)
        lower = None if SIZES[what].one_sided else -tolerance
        try:
            command = add_size(self._model.session.plan, own, what, of, nominal, lower, tolerance, at=at)
        except ValueError as error:
            self._model.session.notify(error)
            return
        if self._model.session.run(command):
            self._model.session.selection.select_characteristic(command.added[0].id)

    def add_contour(self, lines: tuple[Floats, ...]) -> None:
        """Compare the outline with a nominal contour, mm of the part: its profile becomes a characteristic."""
        own = self._model.silhouette
        if own is None:
            return
        try:
            changed, made = with_contour(own, lines)
            command = add_size(self._model.session.plan, changed, "profile", (made.id,), 0.0, None, _PROFILE)
        except ValueError as error:
            self._model.session.notify(error)
            return
        if self._model.session.run(command):
            self._model.select((made.id,))

    def make_point(self, how: str) -> None:
        """Make the place where two selected edges meet, or the line in their middle."""
        own = self._model.silhouette
        if own is None or len(self._model.selected) != 2:
            return
        a, b = self._model.selected
        try:
            changed, made = with_point(own, how, (a, b))
        except ValueError as error:
            self._model.session.notify(error)
            return
        self.change(changed, f"add {made.name}")
        self._model.select((made.id,))

    def remove_selected(self) -> None:
        """Take the selected edges and points away, with what is told of them."""
        own = self._model.silhouette
        if own is not None and self._model.selected:
            self.change(without_things(own, set(self._model.selected)), "remove edges")

    def edit_edge(self, edge_id: str, merge_key: str = "", **changes: object) -> None:
        """Change an edge: its name, where and how it is looked for."""
        own = self._model.silhouette
        if own is None:
            return
        try:
            edges = tuple(e.replace(**changes) if e.id == edge_id else e for e in own.edges)
            self.change(own.replace(edges=edges), "change an edge", merge_key)
        except ValueError as error:
            self._model.session.notify(error)

    def set_place(self, size_id: str, at: float | None) -> None:
        """Tell a size across at a place of x; None: in the middle of what is seen."""
        own = self._model.silhouette
        if own is not None:
            sizes = tuple(s.replace(at=at) if s.id == size_id else s for s in own.sizes)
            self.change(own.replace(sizes=sizes), "where a size is told")

    def move_value(self, size_id: str, place: Floats) -> None:
        """Put the value of a size elsewhere: a place (2,) mm of the part."""
        own = self._model.silhouette
        if own is not None:
            x, y = place.tolist()
            sizes = tuple(s.replace(value_at=(x, y)) if s.id == size_id else s for s in own.sizes)
            self.change(own.replace(sizes=sizes), "move a value", f"value {size_id}")


def _asked(own: Silhouette, of: tuple[str, ...], whats: tuple[str, ...], at: float | None) -> Silhouette:
    """Return a silhouette of nothing but some sizes of a selection, their ids what they are; `at` is of one across."""
    points = tuple(p for p in own.points if p.id in of)
    need = {*of, *(e for p in points for e in p.edges)}
    sizes = tuple(ShadowSize(id=w, name=w, what=w, of=of, at=at if w == "size" else None) for w in whats)
    return Silhouette(edges=tuple(e for e in own.edges if e.id in need), points=points,
                      contours=tuple(c for c in own.contours if c.id in of), sizes=sizes)  # fmt: skip


def usual_limits(what: str, value: float) -> tuple[float, float]:
    """Return the nominal that a value is likely meant to have, and a usual tolerance."""
    asked = SIZES[what]
    if asked.one_sided:
        return 0.0, _FORM
    steps, tolerance = (_ROUND_RAD, _ANGLE) if asked.angular else (_ROUND_MM, 0.0)
    for step, near in steps:
        nominal = round(round(value / step) * step, 9)
        if abs(value - nominal) <= near:
            break
    return nominal, tolerance or length_tolerance(nominal)
