"""What is typed into a field: numbers, sums and units, and nothing else."""

import numpy as np
import pytest

from truegauge.drawing.units import NumberFormat

MM, INCH, ANGLE = NumberFormat("mm", 3), NumberFormat("inch", 3), NumberFormat("mm", 3).of("angle")


@pytest.mark.parametrize(
    ("text", "mm", "inch"),
    [
        ("0.5", 0.5, 12.7), ("-0,05", -0.05, -1.27), ("−1", -1.0, -25.4), (" 3 mm ", 3.0, 3.0), ("3mm", 3.0, 3.0),
        ("30+0.02", 30.02, 762.508), ("0.1/25.4", 0.1 / 25.4, 0.1), ("0.1mm", 0.1, 0.1), ("2 in", 50.8, 50.8),
        ('1"', 25.4, 25.4), ("1 inch - 0.4 mm", 25.0, 25.0), ("2*(3+0.5)", 7.0, 177.8), ("5 um", 0.005, 0.005),
        ("5 µm", 0.005, 0.005), ("10mm/4", 2.5, 2.5), ("10mm/5mm", 2.0, 50.8), ("3*2mm", 6.0, 6.0),
        ("1,5+1,5", 3.0, 76.2), ("-(1+1)", -2.0, -50.8), ("--1", 1.0, 25.4), ("1 cm + 1", 11.0, 35.4),
        ("1e-3", 0.001, 0.0254), ("1e-3+1e-3", 0.002, 0.0508), ("10 mil", 0.254, 0.254), (".5+.5", 1.0, 25.4),
    ],
)  # fmt: skip
def test_lengths_are_read_in_the_unit_shown_or_in_their_own(text, mm, inch):
    assert MM.parse(text) == pytest.approx(mm, rel=1e-12)
    assert INCH.parse(text) == pytest.approx(inch, rel=1e-12)


def test_angles_are_read_in_degrees_or_in_their_own_unit():
    assert ANGLE.parse("45+0.5") == pytest.approx(np.radians(45.5))
    assert ANGLE.parse("0.1 rad") == pytest.approx(0.1)
    assert ANGLE.parse("90°/2") == pytest.approx(np.pi / 4)
    with pytest.raises(ValueError, match="'mm' is no unit here: use"):
        ANGLE.parse("1 mm")


@pytest.mark.parametrize(
    "text",
    ["", " ", "wide", "1+", "(1", "1)", "1 2", "1..2", "3 feet", "mm", "2mm*3mm", "1/2mm", "1/0", "1/(2-2)",
     "1e9", "1e7*1", "9e5+9e5", "nan", "inf", "1_000+1", "__import__('os')", "1;2", "**2", "()", "1mm mm",
     "(" * 150 + ")" * 40,
     "1+" * 99 + "1" * 20, "2**3", "1e999*0", "0x10+1"],
)  # fmt: skip
def test_everything_else_is_refused_with_words(text):
    with pytest.raises(ValueError, match=r"not a number|no unit|no value|out of reach|area"):
        MM.parse(text)


def test_random_sums_are_those_of_arithmetic():
    """By another way: the same text, evaluated by the language itself."""
    rng = np.random.default_rng(242)

    def made(depth):
        if depth == 0 or rng.random() < 0.3:
            return f"{rng.uniform(0.01, 9):.{rng.integers(0, 5)}f}"
        a, b, sign = made(depth - 1), made(depth - 1), rng.choice(list("+-*/"))
        return f"({a} {sign} {b})" if rng.random() < 0.6 else f"{a}{sign}{b}"

    tried = 0
    while tried < 300:
        text = made(4)
        try:
            expected = eval(text)
        except ZeroDivisionError:
            continue
        if abs(expected) > 1e4 or len(text) > 190:
            continue
        tried += 1
        assert MM.parse(text) == pytest.approx(expected, rel=1e-9, abs=1e-12), text


def test_sums_of_units_are_sums_of_millimetres():
    rng = np.random.default_rng(243)
    sizes = {"mm": 1.0, "in": 25.4, "cm": 10.0, "um": 1e-3}
    for _ in range(100):
        parts = [(float(f"{rng.uniform(0.1, 9):.3f}"), str(rng.choice(list(sizes)))) for _ in range(rng.integers(1, 5))]
        text = " + ".join(f"{v} {u}" for v, u in parts)
        assert INCH.parse(text) == pytest.approx(sum(v * sizes[u] for v, u in parts), rel=1e-12)
