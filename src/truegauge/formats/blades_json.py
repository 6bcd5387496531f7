"""Sections of a blade as other systems read them: plain numbers, mm and degrees, null where there is none."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from truegauge.core.blades.over_height import over_height
from truegauge.core.sections.plane import SectionPlane

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from truegauge.core.blades.result import SectionResult
    from truegauge.core.blades.zone_deviations import Deviations

_TOLD = ("min", "max", "mean", "rms")


def sections_document(results: Sequence[SectionResult]) -> dict[str, Any]:
    """Return sections: what is measured, `nominal_` beside it, and `u_`, its standard uncertainty; and the blade."""
    whole = over_height(results)
    return {
        "sections": [section_document(one) for one in results],
        "blade": {
            "lean": [_known(float(v)) for v in whole.lean],
            "over_height": [
                {"height": float(h), "twist_deg": _known(math.degrees(t)), "off": [_known(float(v)) for v in off],
                 "bow": [_known(float(v)) for v in bow]}
                for h, t, off, bow in zip(whole.heights, whole.twist, whole.off, whole.bow, strict=True)
            ],
        },
    }  # fmt: skip


def section_document(one: SectionResult) -> dict[str, Any]:
    """Return one section."""
    made: dict[str, Any] = {"height": one.height, "points": len(one.points)}
    for name, nominal in one.nominal_values.items():
        if "." in name or name.startswith("fit_"):  # told below, as zones and fit
            continue
        key, times = (f"{name}_deg", math.degrees(1.0)) if name == "chord_angle" else (name, 1.0)
        made[key] = _known(one.values.get(name, math.nan) * times)
        made[f"nominal_{key}"] = _known(nominal * times)
        made[f"u_{key}"] = _known(one.uncertainties.get(name, math.nan) * times)
    for key in _TOLD:
        made[f"profile_{key}"] = _of(one.before.get("all"), key)
        made[f"nominal_profile_{key}"] = 0.0
    made["zones"] = _zones(one.before)
    fit = one.fit
    made["fit"] = None if fit is None else {
        "dx": float(fit.shift[0]), "dy": float(fit.shift[1]), "turn_deg": math.degrees(fit.turn),
        "pivot": fit.pivot.tolist(), "nominal_from_measured": fit.matrix.tolist(),
        **{f"profile_{key}": _of(one.after.get("all"), key) for key in _TOLD},
        "zones": _zones(one.after),
        "limited": fit.limited, "undetermined": list(fit.undetermined),
    }  # fmt: skip
    made["noise"], made["notes"], made["problem"] = _known(one.noise), list(one.notes), one.problem
    plane = one.plane
    made["plane"] = {"origin": plane.origin.tolist(), "x": plane.across.tolist(), "y": plane.up.tolist()}
    made["cone"] = None if isinstance(plane, SectionPlane) else {
        "center": plane.center.tolist(), "axis": plane.axis.tolist(), "radius": float(plane.radius),
        "rise_deg": math.degrees(plane.rise),
    }  # fmt: skip
    return made


def _known(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _zones(told: Mapping[str, Deviations]) -> dict[str, Any]:
    return {name: {key: _of(own, key) for key in _TOLD} for name, own in told.items() if name != "all"}


def _of(told: Deviations | None, key: str) -> float | None:
    names = {"min": "lowest", "max": "highest", "mean": "mean", "rms": "rms"}
    return None if told is None else _known(getattr(told, names[key]))
