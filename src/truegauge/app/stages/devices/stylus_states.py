"""How the state of a stylus is shown: the marker shapes and colours of the gauge bar."""

from truegauge.app.widgets.theme import Theme
from truegauge.core.probing.records import StylusState

_MARKERS = {StylusState.QUALIFIED: "disc", StylusState.DUE: "diamond", StylusState.FAILED: "triangle_right",
            StylusState.NOT_QUALIFIED: "ring"}  # fmt: skip


def marker_of(state: StylusState) -> str:
    """Return the shape of the marker."""
    return _MARKERS[state]


def color_of(state: StylusState, theme: Theme) -> str:
    """Return the colour of the marker."""
    return {StylusState.QUALIFIED: theme.within, StylusState.DUE: theme.near, StylusState.FAILED: theme.outside,
            StylusState.NOT_QUALIFIED: theme.soft}[state]  # fmt: skip
