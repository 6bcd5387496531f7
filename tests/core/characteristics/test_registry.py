"""The registry against the standards: which kinds take datums, material modifiers, tiers, units; nothing half-made."""

from dataclasses import fields

import pytest

from truegauge.core.characteristics.kind import Kind, UnknownKind
from truegauge.core.characteristics.readings import ReadingKind
from truegauge.core.characteristics.registry import FAMILIES, KINDS, kind_named
from truegauge.core.characteristics.zones import ZoneKind
from truegauge.core.tolerancing.general import GeneralTolerances
from truegauge.drawing.glyphs import GLYPHS

# ISO 1101:2017, table 2; ISO 2692:2021; ISO 14405-1:2016; ISO 5459.
EXPECTED = {
    "geometric": "position profile_surface profile_line angularity coaxiality concentricity symmetry circular_runout "
                 "total_runout axis_straightness perpendicularity parallelism",
    "needs_datum": "perpendicularity parallelism angularity coaxiality concentricity symmetry circular_runout "
                   "total_runout",
    "takes_material": "position perpendicularity parallelism angularity coaxiality symmetry axis_straightness",
    "widens_boundary": "position perpendicularity parallelism angularity coaxiality axis_straightness",
    "orients": "perpendicularity parallelism angularity",
    "to_the_second": "perpendicularity parallelism",
    "takes_tiers": "position profile_surface profile_line",
    "takes_pattern": "position profile_surface profile_line symmetry",
    "takes_directions": "position perpendicularity parallelism angularity",
    "takes_form": "flatness cylindricity roundness straightness",
    "takes_lines": "straightness profile_line",
    "is_profile": "profile_surface profile_line",
    "round_zone": "coaxiality concentricity",
    "about_axis": "circular_runout total_runout",
    "takes_envelope": "distance",
    "takes_definition": "diameter width",
}  # fmt: skip


@pytest.mark.parametrize("flag", EXPECTED)
def test_flags_are_those_of_the_standards(flag):
    assert {name for name, kind in KINDS.items() if getattr(kind, flag)} == set(EXPECTED[flag].split())


def test_every_flag_is_held_against_something_here_or_follows_from_a_name():
    by_name = {"has_size", "limits_size", "takes_unused", "takes_sections", "angular", "placed", "reading", "one_sided",
               "framed", "common", "takes_datums", "area"}  # fmt: skip
    flags = {f.name for f in fields(Kind) if f.type == "bool"}
    assert flags == by_name | set(EXPECTED)


def test_names_say_what_follows_from_them():
    for name, kind in KINDS.items():
        size = name.startswith(("diameter", "width"))
        assert kind.name == name
        assert kind.has_size == size
        assert kind.limits_size == (size or name == "distance")
        assert kind.takes_unused == (size or name in ("radius", "distance"))
        assert kind.takes_sections == name.startswith("diameter")
        assert kind.angular == (name.endswith("_turn") or ("angle" in name and name != "rectangle"))
        assert kind.area == name.endswith("_area")
        assert (
            kind.reading
            == name.startswith(("spot", "section_", "compare_", "blade_", "shadow_"))
            == isinstance(kind, ReadingKind)
        )
        assert kind.placed == name.endswith(("_x", "_y", "_z", "_xy", "_yz", "_zx")) or kind.reading
        assert kind.takes_datums == (name not in (*EXPECTED["takes_form"].split(), "axis_straightness"))
        assert kind.geometric == isinstance(kind, ZoneKind)
        assert kind.one_sided or not kind.framed
        assert kind.takes_unit == {"straightness": 1, "flatness": 2}.get(name, 0)


def test_every_kind_is_whole():
    """A label, a glyph, limits that are in order, and a way to its value."""
    assert len(KINDS) == sum(len(family()) for family in FAMILIES) > 70
    for kind in KINDS.values():
        assert kind.label
        assert kind.symbol in GLYPHS, kind.name
        assert type(kind).tell is not Kind.tell, kind.name
        assert type(kind).points_key is not Kind.points_key, kind.name
        assert set(kind.needs) <= {"direction", "place"}


@pytest.mark.parametrize(
    ("stated", "expected"),
    [
        (
            GeneralTolerances(geometry="H"),
            "perpendicularity symmetry flatness straightness parallelism circular_runout",
        ),
        (GeneralTolerances(surface=0.3), "profile_surface"),
    ],
)
def test_general_tolerances_of_geometry_hold_for_the_kinds_of_their_tables(stated, expected):
    """ISO 2768-2:1989 has straightness and flatness, squareness, symmetry, circular run-out; ISO 22081 the surface."""
    found = {name for name, kind in KINDS.items() if kind.one_sided and kind.general(stated, 0.0, ()) != (None, None)}
    assert found == set(expected.split())


def test_a_name_that_is_not_known_is_a_kind_that_says_so():
    kind = kind_named("hardness")
    assert isinstance(kind, UnknownKind)
    assert (kind.label, kind.symbol, kind.framed, kind.fits(())) == ("hardness", "", False, False)
    assert kind.general(GeneralTolerances(linear="m", size=0.1), 10.0, ()) == (None, None)
