"""The plan of the demo panel: no part, one check of its outer skin, and what of it is allowed."""

from truegauge.core.plan.document import Plan
from truegauge.core.plan.surface_checks import SurfaceCheck, SurfaceLimit
from truegauge.core.plan.title import TitleBlock


def panel_plan() -> Plan:
    """Return it."""
    limits = (
        SurfaceLimit(quantity="depth", limit=1.2), SurfaceLimit(quantity="per_area", limit=100.0),
        SurfaceLimit(quantity="edge_to_edge", limit=10.0),
    )  # fmt: skip
    check = SurfaceCheck(id="skin", name="outer skin", limits=limits)
    block = TitleBlock(
        title="Dome shutter panel", part_number="LW-1502", drawing="LW-1502-A", customer="Larkspur Instrument Works",
        inspector="R. Fenwright",
    )  # fmt: skip
    return Plan(name="LW-1502", title_block=block, surface_checks=(check,))
