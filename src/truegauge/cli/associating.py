"""The command that associates features with points."""

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import say, within_reach
from truegauge.core.arrays import Vector
from truegauge.core.errors import TrueGaugeError, one_of, shortened
from truegauge.core.typed_number import MOST

if TYPE_CHECKING:
    from truegauge.core.association.constraints import DatumSystem
    from truegauge.core.association.fit import Criterion


def associate(
    shape: Annotated[
        str,
        typer.Argument(
            help="point, line, plane, circle, ellipse, slot, square_slot, sphere, cylinder, cone, torus, width, or "
            "free_form (with --part and --faces)."
        ),
    ],
    file: Annotated[Path, typer.Argument(help="Points: CSV, XYZ, or a reference case (JSON).")],
    criterion: Annotated[
        str,
        typer.Option(
            help="least_squares, minimum_zone, minimum_circumscribed, maximum_inscribed or one_sided "
            "(outside the material)."
        ),
    ] = "least_squares",
    plane: Annotated[
        str | None, typer.Option(help="Normal x,y,z of the plane of a flat shape, or of a line in a plane.")
    ] = None,
    fix_direction: Annotated[str | None, typer.Option(help="Direction x,y,z that the axis or normal keeps.")] = None,
    perpendicular_to: Annotated[
        str | None, typer.Option(help="Direction x,y,z that the axis or normal stays perpendicular to.")
    ] = None,
    fix_radius: Annotated[
        float | None, typer.Option(callback=within_reach, help="Radius to keep, mm (of a width: half of it).")
    ] = None,
    through: Annotated[str | None, typer.Option(help="Point x,y,z that the feature passes through.")] = None,
    weights_column: Annotated[int | None, typer.Option(help="Column of the weights, counted from 1.")] = None,
    reject: Annotated[
        float | None,
        typer.Option(
            callback=within_reach, help="Leave out points farther than so many robust scales from least squares."
        ),
    ] = None,
    material: Annotated[
        str, typer.Option(help="Material inside (a boss) or outside (a hole) of the shape.")
    ] = "inside",
    datum_free: Annotated[
        str | None,
        typer.Option(
            help="Hold the nominal feature in the frame of the points but for these freedoms: tx ... rz, or none."
        ),
    ] = None,
    part: Annotated[Path | None, typer.Option(help="The part (STEP) of a free-form association.")] = None,
    faces: Annotated[str | None, typer.Option(help="Its faces, by number, with commas.")] = None,
    reach: Annotated[
        float, typer.Option(callback=within_reach, help="Points farther from these faces do not belong to them, mm.")
    ] = 0.6,
    residuals: Annotated[bool, typer.Option(help="Print the residual of every point used.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Associate an ideal feature with points; lengths in mm, angles in rad."""
    from truegauge.core.association.by_criterion import associate as compute
    from truegauge.core.association.constraints import NONE, Constraints
    from truegauge.core.association.features import Shape
    from truegauge.core.association.fit import Criterion
    from truegauge.formats.fit_text import fit_document
    from truegauge.formats.points_text import read_points

    wanted = Criterion(one_of(criterion, Criterion, "criterion"))
    datums = _datum_system(datum_free)
    if shape == "free_form":
        document = _free_form(file, part, faces, wanted, reach, datums, residuals=residuals)
        say(json.dumps(document) if as_json else "\n".join(f"{k.replace('_', ' ')}: {v}" for k, v in document.items()))
        return
    wanted_shape = Shape(one_of(shape, Shape, "shape"))
    if material not in ("inside", "outside"):
        raise TrueGaugeError(f"material {material!r} is not known; use inside or outside")
    read = read_points(file, weights_column)
    held = Constraints(
        _three("--fix-direction", fix_direction, direction=True),
        _three("--perpendicular-to", perpendicular_to, direction=True),
        fix_radius,
        _three("--through", through),
        datums,
    )
    nothing = fix_direction is perpendicular_to is through is datum_free is None and fix_radius is None
    normal = _three("--plane", plane, direction=True)
    fit = compute(
        wanted_shape,
        read.points,
        wanted,
        start=read.nominal(wanted_shape),
        plane_normal=read.plane_normal if normal is None else normal,
        weights=read.weights,
        constraints=NONE if nothing else held,
        material=-1 if material == "outside" else 1,
        reject=reject,
    )
    document = fit_document(fit, residuals=residuals)
    if as_json:
        say(json.dumps(document))
        return
    for name, value in document.items():
        if name != "covariance":
            say(f"{name.replace('_', ' ')}: {value}")


def _datum_system(text: str | None) -> "DatumSystem | None":
    """Read the freedoms that a datum system leaves, in the frame of the points."""
    from truegauge.core.association.constraints import DatumSystem
    from truegauge.core.frames import identity

    if text is None:
        return None
    names = tuple(word for word in text.replace(",", " ").split() if word != "none")
    return DatumSystem(identity(), names)


def _free_form(
    file: Path, part: Path | None, faces: str | None, criterion: "Criterion", reach: float,
    datums: "DatumSystem | None", *, residuals: bool,
) -> "dict[str, object]":  # fmt: skip
    """Associate faces of a part with points in part coordinates."""
    from truegauge.core.association.free_form import fit_free_form
    from truegauge.core.cad.projection import Projector
    from truegauge.formats.part import read_part
    from truegauge.formats.points_text import read_points

    if part is None or faces is None:
        raise TrueGaugeError("a free-form association needs --part and --faces")
    points = read_points(file).points
    model = read_part(part)
    try:
        chosen = tuple(int(word) for word in faces.replace(",", " ").split())
    except ValueError:
        raise TrueGaugeError(f"--faces needs numbers of faces, not {faces!r}") from None
    if not chosen or min(chosen) < 0 or max(chosen) >= len(model.faces):
        raise TrueGaugeError(f"--faces: the part has the faces 0 to {len(model.faces) - 1}")
    fit = fit_free_form(Projector(model), chosen, points, criterion, reach=reach, datums=datums)
    document: dict[str, object] = {
        "shape": "free_form",
        "criterion": str(criterion),
        "parameters": {"part_from_nominal": fit.part_from_nominal.tolist()},
        "form": fit.form,
        "profile": fit.profile,
        "rms": fit.rms,
        "points": len(points),
        "points_used": len(fit.rows),
        "points_rejected": len(points) - len(fit.rows),
        "iterations": fit.iterations,
        "condition": fit.condition,
        "covariance": fit.covariance.tolist(),
    }
    if residuals:
        document["residuals"] = fit.residuals.tolist()
    return document


def _three(option: str, text: str | None, *, direction: bool = False) -> Vector | None:
    """Read x,y,z of an option."""
    import numpy as np

    if text is None:
        return None
    try:
        values = np.array([float(word) for word in text.replace(",", " ").split()])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not (np.abs(values) <= MOST).all():
        raise TrueGaugeError(f"{option} needs three numbers x,y,z to 1,000,000, not {shortened(text)!r}")
    if direction and not values.any():
        raise TrueGaugeError(f"{option}: a direction of length zero points nowhere")
    return values / np.linalg.norm(values) if direction else values
