"""What of an edge's box or band can be dragged in the picture: moved, turned, made wider or longer."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.plan.silhouette import ShadowBand, ShadowBox
from truegauge.core.silhouette.looking import Box

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.looking import Band, Place

_LEAST = 0.05  # mm that a box keeps
_TURN_OUT = 0.35  # of its width, beyond its end, where it is turned


@dataclass(frozen=True, slots=True, eq=False)
class Handle:
    """A place (2,) mm of the part, and what dragging it does."""

    how: str
    place: Floats


def outline_of(look: ShadowBox | ShadowBand) -> Floats:
    """Return the outline (n, 2) mm of a box or a band."""
    if isinstance(look, ShadowBox):
        way, aside = _axes(look)
        a, b = look.reach / 2 * way, look.wide / 2 * aside
        middle = np.array([look.x, look.y])
        return np.array([middle - a - b, middle + a - b, middle + a + b, middle - a + b, middle - a - b])
    t = np.linspace(look.begin, look.end, 60)
    out = np.column_stack([np.cos(t), np.sin(t)])
    middle = np.array([look.x, look.y])
    inner, outer = max(0.0, look.radius - look.reach / 2), look.radius + look.reach / 2
    return np.vstack([middle + inner * out, middle + outer * out[::-1], middle + inner * out[:1]])


def arrow_of(look: ShadowBox | ShadowBand) -> Floats:
    """Return where is looked from and to (2, 2)."""
    if isinstance(look, ShadowBox):
        way, _ = _axes(look)
        middle = np.array([look.x, look.y])
        return np.array([middle - look.reach / 2 * way, middle + look.reach / 2 * way])
    t = 0.5 * (look.begin + look.end)
    out = np.array([np.cos(t), np.sin(t)])
    side = -1.0 if look.inwards else 1.0
    middle = np.array([look.x, look.y]) + look.radius * out
    return np.array([middle - side * look.reach / 2 * out, middle + side * look.reach / 2 * out])


def in_part(look: Box | Band, place: Place) -> ShadowBox | ShadowBand:
    """Return where is looked in coordinates of the part, of a place in those of the picture."""
    x, y = place.part_from_picture(np.array([[look.x, look.y]]))[0].tolist()
    side = -1.0 if place.mirrored else 1.0
    if isinstance(look, Box):
        turn = side * (look.turn - place.turn)
        return ShadowBox(x=x, y=y, turn=float(turn), reach=float(look.reach), wide=float(look.wide))
    begin, end = sorted(float(side * (a - place.turn)) for a in (look.begin, look.end))
    return ShadowBand(x=x, y=y, radius=float(look.radius), begin=begin, end=end, reach=float(look.reach))


def handles_of(look: ShadowBox | ShadowBand) -> list[Handle]:
    """Return what can be dragged of a box or a band."""
    middle = np.array([look.x, look.y])
    if isinstance(look, ShadowBox):
        way, aside = _axes(look)
        end = middle + look.wide / 2 * aside
        return [
            Handle("move", middle), Handle("wide", end), Handle("wide", middle - look.wide / 2 * aside),
            Handle("reach", middle + look.reach / 2 * way),
            Handle("turn", end + _TURN_OUT * max(look.wide, 1.0) * aside),
        ]  # fmt: skip
    made = [Handle("move", middle)]
    t = 0.5 * (look.begin + look.end)
    for how, angle, radius in (
        ("begin", look.begin, look.radius), ("end", look.end, look.radius), ("radius", t, look.radius),
        ("reach", t, look.radius + look.reach / 2),
    ):  # fmt: skip
        if how in ("begin", "end") and look.end - look.begin > 2 * np.pi - 1e-6:
            continue
        made.append(Handle(how, middle + radius * np.array([np.cos(angle), np.sin(angle)])))
    return made


def dragged(look: ShadowBox | ShadowBand, how: str, to: Floats) -> ShadowBox | ShadowBand:
    """Return a box or a band one of whose handles was dragged to a place (2,) mm of the part."""
    middle = np.array([look.x, look.y])
    off = to - middle
    if how == "move":
        x, y = to.tolist()
        return look.replace(x=x, y=y)
    if isinstance(look, ShadowBox):
        way, aside = _axes(look)
        if how == "wide":
            return look.replace(wide=max(_LEAST, 2 * abs(float(off @ aside))))
        if how == "reach":
            return look.replace(reach=max(_LEAST, 2 * abs(float(off @ way))))
        return look.replace(turn=float(np.arctan2(off[1], off[0]) - np.pi / 2))
    far, angle = float(np.hypot(*off)), float(np.arctan2(off[1], off[0]))
    if how == "radius":
        return look.replace(radius=max(_LEAST, far))
    if how == "reach":
        return look.replace(reach=max(_LEAST, 2 * abs(far - look.radius)))
    if how == "begin":
        begin = look.end - (look.end - angle) % (2 * np.pi)
        return look.replace(begin=begin if look.end - begin > _SMALL else look.end - _SMALL)
    end = look.begin + (angle - look.begin) % (2 * np.pi)
    return look.replace(end=end if end - look.begin > _SMALL else look.begin + _SMALL)


_SMALL = 0.02  # rad that a band keeps


def _axes(look: ShadowBox) -> tuple[Floats, Floats]:
    c, s = np.cos(look.turn), np.sin(look.turn)
    return np.array([c, s]), np.array([-s, c])
