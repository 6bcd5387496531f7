"""Examples to try, from the demo workshop."""

from collections.abc import Callable
from functools import partial

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.shell.files import FileDialogs
from truegauge.app.shell.start_page import Begin, Example


def begin(files: FileDialogs, trigger: Callable[[str], None]) -> Begin:
    """Return what a first screen begins with."""
    return Begin(
        files.ask_part, files.ask_plan, lambda: trigger("nominals"), files.open_recent,
        lambda: trigger("new-silhouette"),
    )  # fmt: skip


def examples(
    files: FileDialogs, session: Session, trigger: Callable[[str], None]
) -> tuple[Example, ...]:  # fmt: skip
    """Return them in the order in which one gets to know the program."""

    def by_machine() -> None:
        files.open_example(demo.CMM_PLAN, None)
        session.set_stage("devices")

    def by_scan_alone() -> None:
        files.open_example(demo.PANEL_PLAN, demo.PANEL_SCAN)
        session.set_stage("evaluate")

    def by_sections() -> None:
        files.open_example(demo.VANE_PLAN, demo.VANE_SCAN)
        session.set_stage("evaluate")

    return (
        Example("Housing, by scan", "A milled housing with 250,000 scanned points and 30 characteristics: three are "
                "outside, one is near its limit. Find out why.", "part",
                partial(files.open_example, demo.PLAN, demo.SCAN)),
        Example("Cover, by scan", "A thin formed panel: profiles, holes and spot checks on free-form faces.",
                "profile_surface", partial(files.open_example, demo.COVER_PLAN, demo.COVER_SCAN)),
        Example("Housing, by machine", "The same housing on a made-up coordinate measuring machine: qualify its styli, "
                "align by touches, measure.", "devices", by_machine),
        Example("Panel, by scan alone", "A sheet that was hit by hail, without a part: forty dents, bumps and pits are "
                "found, measured and judged.", "evaluate", by_scan_alone),
        Example("Shaft, in its shadow", "A turned shaft under a made-up silhouette camera: part after part is put "
                "down, measured and judged by itself.", "silhouette", partial(trigger, "shadow-example")),
        Example("Vane, section by section", "An aerofoil that is twisted, leans and bows, with a blunt leading edge: "
                "chords, edges, thickness, profile.", "profile_line", by_sections),
    )  # fmt: skip
