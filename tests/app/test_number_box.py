"""Boxes for numbers take sums and units; what is no number leaves the value as it was."""

import pytest
from PySide6.QtCore import Qt

from truegauge.app.widgets.bench import number_box


@pytest.fixture
def box(qtbot):
    made = number_box(-10.0, 100.0, 4, suffix=" mm")
    qtbot.addWidget(made)
    made.setValue(7.0)
    made.told = []
    made.valueChanged.connect(made.told.append)
    made.show()
    return made


def enter(qtbot, box, text):
    box.selectAll()
    qtbot.keyClicks(box, text)
    qtbot.keyClick(box, Qt.Key.Key_Return)


@pytest.mark.parametrize(
    ("text", "value"),
    [("30+0.02", 30.02), ("0.1/25.4", 0.0039), ("2 in", 50.8), ("1,5", 1.5), ("-3", -3.0), ("12.5 mm", 12.5),
     ("(1+2)*3", 9.0), ("50 um", 0.05)],
)  # fmt: skip
def test_sums_and_units_are_taken(qtbot, box, text, value):
    enter(qtbot, box, text)
    assert box.value() == pytest.approx(value, abs=1e-4)
    assert box.text() == f"{box.value():.4f} mm"
    assert len(box.told) == 1


@pytest.mark.parametrize("text", ["wide", "1+", "101", "-11", "5 deg", ""])
def test_what_cannot_be_leaves_the_value_as_it_was(qtbot, box, text):
    enter(qtbot, box, text)
    assert box.value() == 7.0
    assert box.told == []
    assert box.text() == "7.0000 mm"


def test_other_suffixes_and_angles(qtbot):
    speed, angle = number_box(0, 100, 1, suffix=" mm/s"), number_box(-180, 180, 3, suffix="°")
    for made in (speed, angle):
        qtbot.addWidget(made)
    enter(qtbot, speed, "5+2.5")
    assert speed.value() == 7.5
    speed.setValue(3.0)
    enter(qtbot, speed, "4 mm/s")
    assert speed.value() == 4.0
    enter(qtbot, angle, "90/4")
    assert angle.value() == 22.5
    enter(qtbot, angle, "1 rad")
    assert angle.value() == pytest.approx(57.296, abs=1e-3)
