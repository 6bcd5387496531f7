"""Small lengths and areas in units and digits that can be read."""

import re

import pytest

from truegauge.drawing.units import NumberFormat

MM = {"mm": 1.0, "µm": 1e-3, "inch": 25.4, "µin": 25.4e-6}


def told(text):
    """Return the mm that a text of value and unit says, and how many digits it gives."""
    value, unit = text.split()
    return float(value) * MM[unit], len(re.sub(r"^[-+0.]*|\.", "", value))


@pytest.mark.parametrize("unit", ["mm", "inch"])
@pytest.mark.parametrize("decimals", [0, 2, 3, 5])
def test_a_small_length_always_says_at_least_two_digits(unit, decimals, rng):
    numbers = NumberFormat(unit, decimals)
    for length in 10 ** rng.uniform(-4.5, 2.5, 200) * rng.choice([-1, 1], 200):
        value, digits = told(numbers.fine(length))
        assert value == pytest.approx(length, rel=0.051, abs=0.0051e-3 * (25.4 if unit == "inch" else 1))
        assert digits >= 2 or abs(length) < 2e-4 * (25.4 if unit == "inch" else 1)


def test_small_lengths_by_hand():
    numbers = NumberFormat("mm", 3)
    assert numbers.fine(0.0097) == "9.7 µm"
    assert numbers.fine(0.066) == "0.066 mm"
    assert numbers.fine(-0.00001) == "-0.01 µm"
    assert numbers.fine(0.0) == "0 µm"
    assert numbers.fine_signed(0.0002) == "+0.20 µm"
    assert numbers.fine_signed(0.0) == "0 µm"
    assert numbers.fine_signed(-0.5) == "-0.500 mm"
    assert NumberFormat("inch", 3).fine(0.000254) == "10 µin"


def test_areas_have_the_unit_and_three_digits():
    assert NumberFormat("mm", 3).area(236.04) == "236 mm²"
    assert NumberFormat("mm", 3).area(66.51) == "66.5 mm²"
    assert NumberFormat("mm", 3).area(0.01234) == "0.0123 mm²"
    assert NumberFormat("mm", 3).area(1_234_567.0) == "1,234,567 mm²"
    assert NumberFormat("inch", 3).area(25.4**2) == "1.00 in²"
