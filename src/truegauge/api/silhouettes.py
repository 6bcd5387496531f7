"""Plans for silhouettes made without a window: edges by their boxes, sizes with limits, calibration, how it is found.

Lengths in mm, angles in rad, in the coordinates of the part.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from truegauge.api.plans import Plan
from truegauge.api.words import some
from truegauge.core.authoring.silhouettes import (
    add_size,
    found_by,
    new_silhouette_plan,
    silhouette_of,
    taught_by,
    with_contour,
    with_edge,
    with_point,
)
from truegauge.core.cad.no_part import no_part
from truegauge.core.cad.projection import Projector
from truegauge.core.commands.silhouettes import SetSilhouette
from truegauge.core.errors import TrueGaugeError
from truegauge.core.plan.lens import LensRecord, due_date
from truegauge.core.plan.silhouette import ShadowBand, ShadowBox
from truegauge.core.sections.nominal import nominal_section
from truegauge.core.sections.plane import section_plane
from truegauge.core.silhouette.calibrating import Pin, Plate, calibrated_by_pins, calibrated_by_plate
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.names import SIZES
from truegauge.core.tolerancing.fits import fit_limits
from truegauge.formats.dxf import contour_from_dxf
from truegauge.formats.part import read_part
from truegauge.formats.pictures import read_picture
from truegauge.formats.plan_file import read_plan

if TYPE_CHECKING:
    from truegauge.core.plan.requirements import Characteristic
    from truegauge.core.plan.silhouette import Silhouette
    from truegauge.core.silhouette.calibrating import Calibration
    from truegauge.core.silhouette.edges import Chosen, Turn


_FINE_STEPS = 4000  # points along the diagonal of a part whose section is a contour


def new_silhouette(name: str = "New plan") -> SilhouettePlan:
    """Return a plan for silhouettes, without edges and sizes yet."""
    return SilhouettePlan(new_silhouette_plan(name), no_part())


def open_silhouette(path: str | Path) -> SilhouettePlan:
    """Open a plan for silhouettes.

    Raises
    ------
    FormatError
        Not a plan, damaged, or of a newer version.
    TrueGaugeError
        It is none for silhouettes.
    """
    file = read_plan(Path(path))
    silhouette_of(file.plan)
    return SilhouettePlan(file.plan, no_part(), None, Path(path))


def silhouette_sizes() -> dict[str, str]:
    """Return the sizes that are told of silhouettes, by name, each in words."""
    return {what: asked.words for what, asked in SIZES.items()}


def calibrate_by_plate(
    picture: str | Path, pitch: float, diameter: float, *, camera: str = "", due: str = "",
) -> LensRecord:  # fmt: skip
    """Calibrate a camera by a picture of a plate with dots, `pitch` mm apart and `diameter` mm wide.

    Raises
    ------
    FormatError
        The picture cannot be read.
    TrueGaugeError
        It shows no such plate.
    """
    until = _due(due)
    seen = read_picture(Path(picture))
    found = calibrated_by_plate(seen, Plate(float(pitch), float(diameter)))
    return LensRecord.of(found, seen.shape, camera=camera, made_at=_now(), due_at=until)


def calibrate_by_pins(
    pictures: Sequence[tuple[str | Path, float]], *, camera: str = "", due: str = ""
) -> LensRecord:  # fmt: skip
    """Calibrate a camera by pictures of a pin each, with the pin's diameter, mm.

    Raises
    ------
    FormatError
        A picture cannot be read.
    TrueGaugeError
        There is no pin in one.
    """
    until = _due(due)
    seen = [(read_picture(Path(path)), Pin(float(diameter))) for path, diameter in pictures]
    shapes = {picture.shape for picture, _ in seen}
    if len(shapes) != 1:
        raise TrueGaugeError("a camera is calibrated by pictures of one size")
    return LensRecord.of(calibrated_by_pins(seen), seen[0][0].shape, camera=camera, made_at=_now(), due_at=until)


def _three(values: Sequence[float]) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z


def _due(text: str) -> str:
    try:
        return due_date(text)
    except ValueError as error:
        raise TrueGaugeError(str(error)) from error


def _now() -> str:
    return datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")


class SilhouettePlan(Plan):
    """A plan for silhouettes. Every change can be undone; `document` is the plan as it is now."""

    @property
    def silhouette(self) -> Silhouette:
        """Edges, points, sizes, and how the part is found."""
        return silhouette_of(self.document)

    @property
    def lens(self) -> LensRecord | None:
        """The calibration that pictures from files are measured by."""
        return self.silhouette.lens

    @lens.setter
    def lens(self, lens: LensRecord | None) -> None:
        self.run(SetSilhouette(self.silhouette.replace(lens=lens), "calibration"))

    def edge(
        self, name: str, *, at: Sequence[float], turn: float, reach: float, wide: float, to: Turn = "to light",
        chosen: Chosen = "strongest",
    ) -> str:  # fmt: skip
        """Look for a straight edge in a box: its middle `at`, the direction `turn` that it is looked along.

        Parameters
        ----------
        reach, wide : float
            How far it is looked, and how wide across.
        to : str
            "to light" (out of the part), "to dark" or "either", along the direction.
        chosen : str
            The "strongest" edge, or the "first".

        Returns
        -------
        str
            The name, by which sizes refer to it.
        """
        x, y = (float(v) for v in at)
        box = ShadowBox(x=x, y=y, turn=float(turn), reach=float(reach), wide=float(wide))
        return self._edge(box, name, to, chosen)

    def arc(
        self, name: str, *, center: Sequence[float], radius: float, begin: float = 0.0, end: float = 2 * np.pi,
        reach: float, inwards: bool = False, to: Turn = "to light", chosen: Chosen = "strongest",
    ) -> str:  # fmt: skip
        """Look for a round edge in a band of `reach` mm along an arc, outwards (or inwards)."""
        x, y = (float(v) for v in center)
        band = ShadowBand(x=x, y=y, radius=float(radius), begin=float(begin), end=float(end), reach=float(reach),
                          inwards=inwards)  # fmt: skip
        return self._edge(band, name, to, chosen)

    def _edge(self, look: ShadowBox | ShadowBand, name: str, to: Turn, chosen: Chosen) -> str:
        self._is_free(name)
        own, made = with_edge(self.silhouette, look, name, to)
        edges = tuple(e.replace(chosen=chosen) if e.id == made.id else e for e in own.edges)
        self.run(SetSilhouette(own.replace(edges=edges), f"add {name}"))
        return name

    def corner(self, name: str, a: str, b: str) -> str:
        """Make the place where two edges meet."""
        return self._point(name, "meeting", a, b)

    def middle(self, name: str, a: str, b: str) -> str:
        """Make the line in the middle of two edges."""
        return self._point(name, "middle", a, b)

    def _point(self, name: str, how: str, a: str, b: str) -> str:
        self._is_free(name)
        own, made = with_point(self.silhouette, how, (self._id(a), self._id(b)), name)
        if made.name != name:
            raise TrueGaugeError(f"it is there already: {made.name}")
        self.run(SetSilhouette(own, f"add {name}"))
        return name

    def contour(
        self, name: str, lines: str | Path | Sequence[Sequence[Sequence[float]]], *, reach: float = 1.0
    ) -> str:  # fmt: skip
        """Compare the outline with a nominal contour: of a DXF, or lines of places (x, y) of the part.

        Raises
        ------
        FormatError
            It is no DXF, or holds no curve.
        """
        self._is_free(name)
        made = contour_from_dxf(Path(lines)) if isinstance(lines, str | Path) else tuple(
            np.array(line, dtype=np.float64).reshape(-1, 2) for line in lines)  # fmt: skip
        own, _ = with_contour(self.silhouette, made, name, float(reach))
        self.run(SetSilhouette(own, f"add {name}"))
        return name

    def contour_of_part(
        self, name: str, part: str | Path, *, origin: Sequence[float], normal: Sequence[float],
        across: Sequence[float] | None = None, reach: float = 1.0,
    ) -> str:  # fmt: skip
        """Compare the outline with the section of a CAD part by a plane: x goes along `across` from the origin.

        Raises
        ------
        FormatError
            The part cannot be read.
        TrueGaugeError
            The plane does not cut it.
        """
        model = read_part(Path(part))
        plane = section_plane(_three(origin), _three(normal), None if across is None else _three(across))
        found = nominal_section(model, Projector(model), plane, steps=_FINE_STEPS)
        lines = tuple(found.flat[rows] for rows in found.pieces() if len(rows) > 1)
        if not lines:
            raise TrueGaugeError("the plane does not cut the part")
        return self.contour(name, [line.tolist() for line in lines], reach=reach)

    def size(
        self, what: str, *of: str, nominal: float = 0.0, lower: float | None = None, upper: float | None = None,
        plus_minus: float | None = None, fit: str = "", at: float | None = None, name: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require a size (`silhouette_sizes`) of edges, corners or middles by their names.

        Parameters
        ----------
        lower, upper : float, optional
            Deviations from the nominal; or `plus_minus`, or a `fit` such as h6. Without any the general tolerances
            of the plan hold.
        at : float, optional
            A size across is told at this x.

        Raises
        ------
        ValueError
            It is told of something else.
        TrueGaugeError
            There is no edge of this name.
        """
        if plus_minus is not None:
            lower, upper = -abs(plus_minus), abs(plus_minus)
        if fit:
            lower, upper = fit_limits(float(nominal), fit)
        keys = tuple(self._id(key) for key in of)
        command = add_size(self.document, self.silhouette, what, keys, nominal, lower, upper, name=name, at=at)
        self.run(command)
        return command.added[0]

    def find_by(
        self, along: str | Sequence[str], stop: str, picture: str | Path, *, origin: Sequence[float] = (0.0, 0.0),
        turn: float = 0.0, end_for_end: bool = True, upside_down: bool = False,
    ) -> None:  # fmt: skip
        """Find the part by its edges from now on: x goes along one (or the middle of two), it begins at the stop.

        One of both is enough: a straight edge along, or a round one as the stop.

        Parameters
        ----------
        picture : path
            Of a part that lies so that the part's coordinates begin about at `origin`, mm of the picture from its
            middle, and are turned by `turn`.

        Raises
        ------
        TrueGaugeError
            The edges are not seen there, or the plan has no calibration.
        """
        lines = tuple(a for a in ((along,) if isinstance(along, str) else along) if a)
        seen, known = self._seen(picture)
        place = Place(np.array([float(v) for v in origin]), float(turn))
        made = found_by(
            self.silhouette, tuple(self._id(k) for k in lines), self._id(stop) if stop else "", seen, known, place,
            end_for_end=end_for_end, upside_down=upside_down,
        )  # fmt: skip
        self.run(SetSilhouette(made, "find the part by its edges"))

    def teach(self, picture: str | Path, *, origin: Sequence[float], turn: float = 0.0) -> None:
        """Teach the shadow of a part that lies about there; its coordinates stay.

        Raises
        ------
        TrueGaugeError
            Its elements are not seen there, or the plan has no calibration.
        """
        seen, known = self._seen(picture)
        place = Place(np.array([float(v) for v in origin]), float(turn))
        self.run(SetSilhouette(taught_by(self.silhouette, seen, known, place), "teach the shadow"))

    def _seen(self, picture: str | Path) -> tuple[np.ndarray, Calibration]:
        if self.lens is None:
            raise TrueGaugeError("the plan has no calibration: give it one (plan.lens)")
        return read_picture(Path(picture)), self.lens.calibration

    def _id(self, name: str) -> str:
        own = self.silhouette
        found = next((t.id for t in own.things if name in (t.name, t.id)), "")
        if not found:
            raise TrueGaugeError(f"the plan has no edge {name!r}: {some(t.name for t in own.things)}")
        return found

    def _is_free(self, name: str) -> None:
        own = self.silhouette
        if any(t.name == name for t in own.things):
            raise TrueGaugeError(f"there is an edge {name!r} already")
