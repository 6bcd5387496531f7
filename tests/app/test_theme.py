"""What is written is readable on what it is written on, by day and by night."""

import pytest

from truegauge.app.widgets.theme import DEEP_BRASS, THEMES, on
from truegauge.palette import rgb


def luminance(color):
    """Relative luminance (WCAG 2.1)."""
    shares = [c / 255 for c in rgb(color)]
    r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in shares)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a, b):
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_contrast_is_that_of_the_standard():
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21.0)
    assert contrast("#777777", "#FFFFFF") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("name", THEMES)
def test_words_are_readable_on_their_ground(name):
    t = THEMES[name]
    grounds = (t.paper, t.raised, t.view)
    for color in (t.ink, t.soft):
        for ground in grounds:
            assert contrast(color, ground) >= 4.5, (color, ground)
    assert contrast(*on(t)) >= 4.5
    assert contrast("#FFFFFF", DEEP_BRASS) >= 4.5
    assert contrast(t.ink, t.accent_soft) >= 4.5
    assert contrast(t.outside, t.raised) >= 3.0
    assert contrast(t.rail_text, t.rail) >= 4.5
