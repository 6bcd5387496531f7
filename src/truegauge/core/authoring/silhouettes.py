"""Making plans for silhouettes: edges, what is made of them, sizes with limits, and what the part is found by."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.authoring.readings import new_id
from truegauge.core.commands.silhouettes import SetSilhouette
from truegauge.core.errors import EvaluationError, TrueGaugeError
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.plan.silhouette import (
    ShadowBand,
    ShadowBox,
    ShadowContour,
    ShadowDatums,
    ShadowEdge,
    ShadowPoint,
    ShadowSize,
    ShadowTaught,
    Silhouette,
)
from truegauge.core.plan.title import TitleBlock
from truegauge.core.silhouette.fitting import StraightEdge
from truegauge.core.silhouette.looking import Looks, Place, Seen
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.signature import signature_of
from truegauge.core.silhouette.stencil import stencil_of
from truegauge.core.silhouette.tracking import Tracker, frame_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.calibrating import Calibration
    from truegauge.core.silhouette.edges import Picture, Turn

Look = ShadowBox | ShadowBand


def new_silhouette_plan(name: str = "New plan") -> Plan:
    """Return a plan for silhouettes without anything to measure yet."""
    return Plan(name=name, silhouette=Silhouette(), title_block=TitleBlock(title=name))


def silhouette_of(plan: Plan) -> Silhouette:
    """Return the silhouette of a plan.

    Raises
    ------
    TrueGaugeError
        It is no plan for silhouettes.
    """
    if plan.silhouette is None:
        raise TrueGaugeError("this plan is not for silhouettes")
    return plan.silhouette


def free_name(own: Silhouette, word: str, more: Sequence[str] = ()) -> str:
    """Return the word with the first number that no edge, point or size has yet."""
    taken = {t.name for t in (*own.things, *own.sizes)} | set(more)
    number = 1
    while f"{word} {number}" in taken:
        number += 1
    return f"{word} {number}"


def with_edge(own: Silhouette, look: Look, name: str = "", turn: Turn = "to light") -> tuple[Silhouette, ShadowEdge]:
    """Return a silhouette with an edge more, and the edge."""
    word = "edge" if isinstance(look, ShadowBox) else "arc"
    made = ShadowEdge(id=new_id("edge"), name=name or free_name(own, word), look=look, turn=turn)
    return own.replace(edges=(*own.edges, made)), made


def with_point(own: Silhouette, how: str, edges: tuple[str, str], name: str = "") -> tuple[Silhouette, ShadowPoint]:
    """Return a silhouette with what is made of two edges, and that; what is there already is taken."""
    there = next((p for p in own.points if p.how == how and set(p.edges) == set(edges)), None)
    if there is not None:
        return own, there
    word = "corner" if how == "meeting" else "middle"
    made = ShadowPoint.model_validate(
        {"id": new_id("point"), "name": name or free_name(own, word), "how": how, "edges": edges}
    )
    return own.replace(points=(*own.points, made)), made


def add_size(
    plan: Plan, own: Silhouette, what: str, of: tuple[str, ...], nominal: float, lower: float | None = None,
    upper: float | None = None, *, name: str = "", at: float | None = None,
) -> SetSilhouette:  # fmt: skip
    """Return the command that makes a size of edges (of `own`, which may have more than the plan) a characteristic.

    Raises
    ------
    ValueError
        It is told of something else.
    """
    asked = SIZES.get(what)
    if asked is None:
        raise ValueError(f"{what!r} is not told of a silhouette: {', '.join(SIZES)}")
    size = ShadowSize(id=new_id("size"), name=name or free_name(own, asked.words), what=what, of=of, at=at)
    _check(own, size)
    made = Characteristic(
        id=new_id("c"), number=plan.next_number, name=size.name, kind=f"shadow_{what}", features=(size.id,),
        nominal=0.0 if asked.one_sided else float(nominal), lower=lower, upper=upper,
    )  # fmt: skip
    return SetSilhouette(own.replace(sizes=(*own.sizes, size)), f"add {size.name}", (made,))


def with_contour(
    own: Silhouette, lines: tuple[Floats, ...], name: str = "", reach: float = 1.0
) -> tuple[Silhouette, ShadowContour]:  # fmt: skip
    """Return a silhouette with a nominal contour more (lines of places (n, 2) mm of the part), and the contour."""
    made = ShadowContour.of(new_id("contour"), name or free_name(own, "contour"), lines, reach)
    return own.replace(contours=(*own.contours, made)), made


def _check(own: Silhouette, size: ShadowSize) -> None:
    points = {p.id: p for p in own.points}
    contours = {c.id for c in own.contours}
    for wanted, key in zip(SIZES[size.what].of, size.of, strict=True):
        edge, point = own.edge(key), points.get(key)
        box = edge is not None and isinstance(edge.look, ShadowBox)
        fits = {
            "straight": box or (point is not None and point.how == "middle"),
            "round": edge is not None and not box,
            "side": box, "any": edge is not None or point is not None, "contour": key in contours,
        }[wanted]  # fmt: skip
        if not fits:
            words = {
                "straight": "straight edges",
                "round": "round edges",
                "side": "edges in boxes",
                "any": "edges",
                "contour": "contours",
            }
            name = own.named(key) or key
            raise ValueError(f"{SIZES[size.what].words} is told of {words[wanted]}: {name} is none")


def offers(own: Silhouette, chosen: Sequence[str]) -> tuple[str, ...]:
    """Return the sizes that can be told of what is chosen, the likeliest first."""
    if not chosen:
        return ()
    made = []
    middles = {p.id for p in own.points if p.how == "middle"}
    turned = own.datums is None or bool(own.datums.turn)  # a ring has no x and y
    for what in _LIKELY:
        if what in ("spacing_x", "spacing_y") and not turned:
            continue
        if what == "symmetry" and not middles & set(chosen):  # two edges are not meant to be one
            continue
        try:
            _check(own, ShadowSize(id="x", name="x", what=what, of=tuple(chosen)))
        except ValueError:
            continue
        made.append(what)
    return tuple(made)


_LIKELY = (
    "profile", "profile_fitted", "size", "spacing", "angle", "height", "diameter", "radius",
    "size_least", "size_most", "size_mean", "spacing_x", "spacing_y", "coaxiality", "symmetry",
    "straightness", "roundness", "thread_outer", "thread_core",
    "thread_pitch_diameter", "thread_pitch", "thread_flank_angle",
)  # fmt: skip


def without_things(own: Silhouette, gone: set[str]) -> Silhouette:
    """Return a silhouette without some edges, points and sizes, and without what is told or found by them."""
    edges = tuple(e for e in own.edges if e.id not in gone)
    lost = gone | {p.id for p in own.points if set(p.edges) & gone}
    points = tuple(p for p in own.points if p.id not in lost)
    contours = tuple(c for c in own.contours if c.id not in lost)
    sizes = tuple(s for s in own.sizes if s.id not in lost and not set(s.of) & lost)
    d = own.datums
    datums = None if d is None or {*d.turn, d.stop} & gone else d
    taught = own.taught if datums is not None else None
    return own.replace(edges=edges, points=points, contours=contours, sizes=sizes, datums=datums, taught=taught)


def found_by(
    own: Silhouette, turn: tuple[str, ...], stop: str, picture: Picture, known: Calibration, place: Place,
    *, end_for_end: bool = True, upside_down: bool = False,
) -> Silhouette:  # fmt: skip
    """Return a silhouette whose part is found by its edges from now on, in coordinates that these make.

    x goes along one edge, or in the middle between two, as nearly the way that it went before; it begins at the stop.
    One of both is enough (`turn` may be empty where the stop is round, `stop` empty).

    Parameters
    ----------
    place : Place
        How the part in the picture lies, in the coordinates that there were so far.

    Raises
    ------
    EvaluationError
        An edge is not seen, or there is not one whole part: said in words.
    """
    edges = {e.id: e for e in own.edges}
    if not (turn or stop) or ({*turn, stop} - {""}) - edges.keys():
        raise EvaluationError("the part is found by one or two straight edges, and one across or a round one")
    boxes = [edges[k].looked(dense=False) for k in (*turn, *([stop] if stop else []))]
    seen = Looks(boxes, known.lens.pixel).seen(picture, known.lens, place)
    said = next((s for s in seen if isinstance(s, str)), None)
    if said is not None:
        raise EvaluationError(f"the edges that it should be found by are not seen: {said}")
    made = [s.edge for s in seen if isinstance(s, Seen)]
    lines = [e for e in made[: len(turn)] if isinstance(e, StraightEdge)]
    if len(lines) < len(turn):
        raise EvaluationError("x goes along straight edges: a round one tells no direction")
    angle, origin = frame_of(lines, made[-1] if stop else None)
    inner = Place(origin, angle)  # of the new coordinates in those so far
    now = place.after(inner)
    moved = tuple(e.replace(look=_moved(e.look, inner)) for e in own.edges)
    sizes = tuple(
        s if s.value_at is None else s.replace(value_at=_two(inner.part_from_picture(np.array([s.value_at]))[0]))
        for s in own.sizes
    )
    sizes = tuple(s if s.at is None else s.replace(at=s.at - float(origin[0])) for s in sizes)
    datums = ShadowDatums(turn=turn, stop=stop, end_for_end=end_for_end, upside_down=upside_down)
    # One edge lies on y = 0, two have it in their middle.
    contours = tuple(
        ShadowContour.of(c.id, c.name, tuple(inner.part_from_picture(line) for line in c.lines), c.reach)
        for c in own.contours
    )
    changed = own.replace(edges=moved, contours=contours, sizes=sizes, datums=datums, taught=None)
    return taught_by(changed, picture, known, now)


def taught_by(own: Silhouette, picture: Picture, known: Calibration, place: Place) -> Silhouette:
    """Return a silhouette that is taught the shadow of a part which lies about at a place.

    Raises
    ------
    EvaluationError
        There is not one whole part, or its elements are not seen where they should be: said in words.
    """
    if own.datums is None:
        raise EvaluationError("choose the edges first that the part is found by")
    seen = signature_of(picture, known.lens)
    first = ShadowTaught.of(place, seen, stencil_of(picture, known.lens, place))
    tracked = own.replace(taught=first).tracked()
    assert tracked is not None
    settled = Tracker(tracked, known.lens).settled(picture, place)
    return own.replace(taught=ShadowTaught.of(settled, seen, stencil_of(picture, known.lens, settled)))


def _moved(look: Look, inner: Place) -> Look:
    """Return where is looked, in other coordinates."""
    x, y = _two(inner.part_from_picture(np.array([[look.x, look.y]]))[0])
    if isinstance(look, ShadowBox):
        return look.replace(x=x, y=y, turn=_within(look.turn - inner.turn))
    return look.replace(x=x, y=y, begin=look.begin - inner.turn, end=look.end - inner.turn)


def _two(place: Floats) -> tuple[float, float]:
    x, y = place.tolist()
    return x, y


def _within(angle: float) -> float:
    return float((angle + np.pi) % (2 * np.pi) - np.pi)
