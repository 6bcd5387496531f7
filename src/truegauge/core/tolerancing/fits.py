"""Limits of size from a fit class such as H7 or g6 (ISO 286-1:2010, ISO 286-2:2010), sizes above 0 up to 500 mm."""

import re
from bisect import bisect_left

from truegauge.core.errors import EvaluationError

_STEPS = (3.0, 6.0, 10.0, 18.0, 30.0, 50.0, 80.0, 120.0, 180.0, 250.0, 315.0, 400.0, 500.0)
# Standard tolerances in micrometres (ISO 286-1, table 1), grades 1 to 18.
_GRADES: dict[int, tuple[float, ...]] = {
    1: (0.8, 1, 1, 1.2, 1.5, 1.5, 2, 2.5, 3.5, 4.5, 6, 7, 8),
    2: (1.2, 1.5, 1.5, 2, 2.5, 2.5, 3, 4, 5, 7, 8, 9, 10),
    3: (2, 2.5, 2.5, 3, 4, 4, 5, 6, 8, 10, 12, 13, 15),
    4: (3, 4, 4, 5, 6, 7, 8, 10, 12, 14, 16, 18, 20),
    5: (4, 5, 6, 8, 9, 11, 13, 15, 18, 20, 23, 25, 27),
    6: (6, 8, 9, 11, 13, 16, 19, 22, 25, 29, 32, 36, 40),
    7: (10, 12, 15, 18, 21, 25, 30, 35, 40, 46, 52, 57, 63),
    8: (14, 18, 22, 27, 33, 39, 46, 54, 63, 72, 81, 89, 97),
    9: (25, 30, 36, 43, 52, 62, 74, 87, 100, 115, 130, 140, 155),
    10: (40, 48, 58, 70, 84, 100, 120, 140, 160, 185, 210, 230, 250),
    11: (60, 75, 90, 110, 130, 160, 190, 220, 250, 290, 320, 360, 400),
    12: (100, 120, 150, 180, 210, 250, 300, 350, 400, 460, 520, 570, 630),
    13: (140, 180, 220, 270, 330, 390, 460, 540, 630, 720, 810, 890, 970),
    14: (250, 300, 360, 430, 520, 620, 740, 870, 1000, 1150, 1300, 1400, 1550),
    15: (400, 480, 580, 700, 840, 1000, 1200, 1400, 1600, 1850, 2100, 2300, 2500),
    16: (600, 750, 900, 1100, 1300, 1600, 1900, 2200, 2500, 2900, 3200, 3600, 4000),
    17: (1000, 1200, 1500, 1800, 2100, 2500, 3000, 3500, 4000, 4600, 5200, 5700, 6300),
    18: (1400, 1800, 2200, 2700, 3300, 3900, 4600, 5400, 6300, 7200, 8100, 8900, 9700),
}
# Fundamental deviations of shafts in micrometres (tables 4 and 5): upper ones up to h, lower ones after it.
_SHAFT: dict[str, tuple[float, ...]] = {
    "d": (-20, -30, -40, -50, -65, -80, -100, -120, -145, -170, -190, -210, -230),
    "e": (-14, -20, -25, -32, -40, -50, -60, -72, -85, -100, -110, -125, -135),
    "f": (-6, -10, -13, -16, -20, -25, -30, -36, -43, -50, -56, -62, -68),
    "g": (-2, -4, -5, -6, -7, -9, -10, -12, -14, -15, -17, -18, -20),
    "h": (0,) * 13,
    "k": (0, 1, 1, 1, 2, 2, 2, 3, 3, 4, 4, 4, 5),
    "m": (2, 4, 6, 7, 8, 9, 11, 13, 15, 17, 20, 21, 23),
    "n": (4, 8, 10, 12, 15, 17, 20, 23, 27, 31, 34, 37, 40),
    "p": (6, 12, 15, 18, 22, 26, 32, 37, 43, 50, 56, 62, 68),
}
_FINE_STEPS = (
    3.0, 6.0, 10.0, 18.0, 30.0, 40.0, 50.0, 65.0, 80.0, 100.0, 120.0, 140.0, 160.0, 180.0, 200.0, 225.0, 250.0, 280.0,
    315.0, 355.0, 400.0, 450.0, 500.0,
)  # fmt: skip
_FINE: dict[str, tuple[float, ...]] = {
    "c": (-60, -70, -80, -95, -110, -120, -130, -140, -150, -170, -180, -200, -210, -230, -240, -260, -280, -300, -330,
          -360, -400, -440, -480),
    "r": (10, 15, 19, 23, 28, 34, 34, 41, 43, 51, 54, 63, 65, 68, 77, 80, 84, 94, 98, 108, 114, 126, 132),
    "s": (14, 19, 23, 28, 35, 43, 43, 53, 59, 71, 79, 92, 100, 108, 122, 130, 140, 158, 170, 190, 208, 232, 252),
}  # fmt: skip
_ABOVE = ("c", "d", "e", "f", "g", "h")
_PATTERN = re.compile(r"^(js|JS|[c-hkmnprsC-HKMNPRS])\s*(\d{1,2})$")
LETTERS = "c to h, js, k, m, n, p, r, s"


def fit_limits(size: float, fit: str) -> tuple[float, float]:
    """Return the lower and upper deviation (mm) of a size (mm) for a fit class; capitals are holes.

    Raises
    ------
    EvaluationError
        A class that is not in the tables, or a size outside of them.
    """
    found = _PATTERN.match(fit.strip())
    if not found:
        raise EvaluationError(f"{fit!r} is no fit class known here: a letter ({LETTERS}; capital for a hole), a grade")
    letter, grade = found.group(1), int(found.group(2))
    if not 0 < size <= _STEPS[-1]:
        raise EvaluationError(f"fit classes are known for sizes up to 500 mm, not for {size:g} mm")
    if grade not in _GRADES:
        raise EvaluationError(f"the tolerance grade {grade} is none of 1 to 18")
    if grade < 3 and letter.lower() in ("c", "d", "e"):
        raise EvaluationError(f"{fit}: this letter has no grade {grade}")
    step = bisect_left(_STEPS, size)
    width = _GRADES[grade][step]
    if letter.lower() == "js":
        return -width / 2000, width / 2000
    lower, upper = _shaft(letter, grade, step, size, width) if letter.islower() else _hole(
        letter, grade, step, size, width
    )  # fmt: skip
    return lower / 1000, upper / 1000


def _deviation(letter: str, step: int, size: float) -> float:
    if letter in _FINE:
        return _FINE[letter][bisect_left(_FINE_STEPS, size)]
    return _SHAFT[letter][step]


def _shaft(letter: str, grade: int, step: int, size: float, width: float) -> tuple[float, float]:
    if letter == "k" and not 4 <= grade <= 7:
        return 0.0, width
    start = _deviation(letter, step, size)
    return (start - width, start) if letter in _ABOVE else (start, start + width)


def _hole(letter: str, grade: int, step: int, size: float, width: float) -> tuple[float, float]:
    """Holes mirror shafts; the tight ones of fine grades are moved up by the step between the grades (4.3.2.5)."""
    small = letter.lower()
    start = -_deviation(small, step, size)
    if small in _ABOVE:
        return start, start + width
    last = 8 if small in ("k", "m", "n") else 7
    if small == "k" and grade > 8:
        raise EvaluationError(f"{letter}{grade}: K has no grade above 8")
    if small == "n" and grade > 8:
        upper = 0.0 if size > 3 else start
    elif grade <= last and size > 3 and grade >= 3:
        upper = start + width - _GRADES[grade - 1][step]
        if letter == "M" and grade == 6 and 250 < size <= 315:  # the one exception of the table
            upper = -9.0
    else:
        upper = 0.0 if small == "k" else start
    return upper - width, upper
