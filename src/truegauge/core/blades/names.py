"""The names of what is told of a section, as a plan keeps them: which they are, and in words.

A name is its family, then what it is of: "chord_mean_line", "leading_thickness_2" (mm from the edge), "thickness_0.25"
(share of the chord), "profile_max.leading.after" (zone, before or after the fit).
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf, isfinite

ANGLES = ("chord_angle", "fit_turn")
AREAS = ("area",)
PLACED = ("thickness", "leading_thickness", "trailing_thickness")  # a number follows the name
PROFILES = ("profile_min", "profile_max", "profile_mean", "profile_form", "profile_beyond")
FAMILIES = {
    "chord_mean_line": "chord", "chord_tangent": "chord by the tangent", "axial_chord": "axial chord",
    "chord_angle": "chord angle", "leading_radius": "leading edge radius", "trailing_radius": "trailing edge radius",
    "leading_tip_radius": "leading tip radius", "trailing_tip_radius": "trailing tip radius",
    "leading_ellipse_along": "leading half-axis along", "leading_ellipse_across": "leading half-axis across",
    "trailing_ellipse_along": "trailing half-axis along", "trailing_ellipse_across": "trailing half-axis across",
    "leading_thickness": "thickness at the leading edge", "trailing_thickness": "thickness at the trailing edge",
    "thickness": "thickness at a share of the chord", "max_thickness": "largest thickness",
    "max_thickness_at": "place of the largest thickness", "area": "section area", "centroid_x": "centroid x",
    "centroid_y": "centroid y", "leading_x": "leading edge x", "leading_y": "leading edge y",
    "trailing_x": "trailing edge x", "trailing_y": "trailing edge y", "waviness_pressure": "waviness, pressure side",
    "waviness_suction": "waviness, suction side", "profile_min": "lowest deviation", "profile_max": "highest deviation",
    "profile_mean": "mean deviation", "profile_form": "form of the profile",
    "profile_beyond": "profile beyond its bands", "fit_dx": "shift along the machine axis",
    "fit_dy": "shift across the machine axis", "fit_turn": "turn of the fit",
}  # fmt: skip
_ZONES = {"all": "", "leading": "leading edge", "trailing": "trailing edge", "pressure": "pressure side",
          "suction": "suction side"}  # fmt: skip
_WHENS = {"before": "as measured", "after": "fitted"}


@dataclass(frozen=True, slots=True)
class Name:
    """A name taken apart: the family; the number of placed ones; the zone and `when` of those of the profile."""

    family: str
    at: float = 0.0
    zone: str = ""
    when: str = ""

    @property
    def words(self) -> str:
        """What it is, as it is shown."""
        plain = FAMILIES.get(self.family, self.family)
        if self.family == "thickness":
            return f"thickness at {100 * self.at:g} % of the chord"
        if self.family in PLACED:
            edge = self.family.partition("_")[0]
            return f"thickness {self.at:g} mm from the {edge} edge"
        if self.zone:
            return ", ".join(w for w in (plain, _ZONES[self.zone], _WHENS[self.when]) if w)
        return plain


def taken_apart(what: str) -> Name:
    """Return what a name means.

    Raises
    ------
    ValueError
        It means nothing here.
    """
    family, *rest = what.split(".") if what.startswith("profile_") else [what]
    if family in PROFILES:
        if len(rest) != 2 or rest[0] not in _ZONES or rest[1] not in _WHENS:
            raise ValueError(f"{what!r} is no deviation of a profile")
        return Name(family, zone=rest[0], when=rest[1])
    placed, _, number = family.rpartition("_")
    if placed in PLACED:
        try:
            at = float(number)
        except ValueError:
            at = inf
        if isfinite(at):
            return Name(placed, at)
    if family not in FAMILIES or family in PLACED:
        raise ValueError(f"{what!r} is no value of a section")
    return Name(family)
