"""The Measure stage: what is measured of the features, and how it is chosen from the points."""

from PySide6.QtWidgets import QWidget

from truegauge.app.document.needs import needs_characteristics
from truegauge.app.document.next_step import NextStep, judge_step
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts
from truegauge.app.stages.devices.stage import machine, touching
from truegauge.app.stages.measure.bench import MeasureBench
from truegauge.app.stages.measure.form_page import FormModel, FormPage
from truegauge.app.stages.measure.points.model import PointsModel
from truegauge.app.stages.measure.points.overlay import PointsOverlay
from truegauge.app.stages.measure.programs import Programs
from truegauge.app.stages.measure.running.commands import run_actions
from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.stages.measure.running.page import RunPage
from truegauge.app.track.commands import route_actions
from truegauge.app.track.model import RouteModel
from truegauge.app.track.overlay import RouteOverlay
from truegauge.app.track.rehearsal_view import RehearsalView
from truegauge.app.track.route_list import RouteList
from truegauge.app.track.shortening import ShorteningModel, ShorteningPage
from truegauge.app.track.track_panel import TrackPanel
from truegauge.app.view.content import ViewContent
from truegauge.app.widgets.action import Action


def _build(shell: Shell) -> StageParts:
    s, theme = shell.session, shell.theme
    form = shell.once(FormModel, lambda: FormModel(s, lambda: shell.view.camera))
    page = shell.once(FormPage, lambda: FormPage(form, s, theme))
    route = shell.once(RouteModel, lambda: RouteModel(s, shell))
    rehearsal = shell.once(RehearsalView, lambda: RehearsalView(route, theme))
    track = shell.once(TrackPanel, lambda: TrackPanel(route, theme))
    points = shell.once(PointsModel, lambda: PointsModel(s, shell.view.draw_outline, shell))
    bench = MeasureBench(s, theme, form, touching(shell), route, points)
    points.changed.connect(shell.view.update)
    listed = shell.once(RouteList, lambda: RouteList(route))
    route.changed.connect(shell.middle_changed)
    running = shell.once(
        RunModel,
        lambda: RunModel(
            machine(shell), touching(shell), route, lambda: (shell.selected_rows(), shell.listed_rows()), shell
        ),
    )

    running.pieces.ask_folder = lambda: shell.files.ask_folder("Where the samples of the pieces are saved")

    def locate() -> None:
        s.set_stage("align")

    def report() -> None:
        s.set_stage("report")

    programs = shell.once(Programs, lambda: Programs(shell))
    shorter = shell.once(ShorteningModel, lambda: ShorteningModel(route, shell))
    shorter_page = shell.once(ShorteningPage, lambda: ShorteningPage(shorter, theme))

    def shorten() -> None:
        s.set_stage("measure")
        if shell.full_page is not shorter_page:
            shell.toggle_full_page(shorter_page)
        shorter.start()

    def end_shortening() -> None:
        if shell.full_page is shorter_page:
            shell.toggle_full_page(shorter_page)

    shorter.closed.connect(end_shortening)
    run_page = shell.once(RunPage, lambda: RunPage(running, theme, locate, report))

    def on_run() -> None:
        shell.middle_alone = running.is_open and s.stage == "measure"
        shell.middle_changed.emit()

    running.changed.connect(on_run)
    shell.rows_changed.connect(running.look_again)
    s.stage_changed.connect(on_run)
    running.opened.connect(lambda: s.set_stage("measure"))
    track.run_wanted.connect(running.open)

    def toggle_list() -> None:
        s.set_stage("measure")
        shell.toggle_full_page(listed)

    listed.closed.connect(toggle_list)
    track.list_wanted.connect(toggle_list)
    route.changed.connect(shell.view.update)
    for signal in (s.selection.changed, s.document.evaluated):
        signal.connect(page.update)

    def toggle_page() -> None:
        shell.toggle_full_page(page)

    def construct() -> None:
        s.set_stage("measure")
        if bench.construct.buttons:
            bench.construct.buttons[0].setFocus()

    shell.view.camera_changed.connect(bench.plot.update)
    bench.plot.enlarge_wanted.connect(toggle_page)
    page.closed.connect(toggle_page)

    def end_rehearsal() -> bool:
        was = route.rehearsing
        route.set_rehearsing(False)
        return was

    shell.closers.append(end_rehearsal)

    def end_run_page() -> bool:
        """A run that is under way stays in sight: pausing it is said in words."""
        closes = running.is_open and not running.is_under_way
        if closes:
            running.close_page()
        return closes

    shell.closers.append(end_run_page)

    def show_route() -> None:
        s.set_stage("measure")

    def show_points() -> None:
        s.set_stage("measure")
        points.set_page("points")

    def middle() -> QWidget | None:
        if running.is_open:
            return run_page
        return rehearsal if route.rehearsing else None

    def closed() -> None:
        running.close()
        run_page.view.let_go()
        route.close()
        rehearsal.let_go()

    def next_step() -> NextStep | None:
        wanted = bool(s.plan.probing.assemblies) and s.sample is None and not route.is_there
        return NextStep("Make the route for the machine", "make-route") if wanted and not route.why_not() else (
            judge_step(s.document))  # fmt: skip

    return StageParts(
        bench=bench, next=next_step, middle=middle, below=track,
        overlay=PointsOverlay(points, RouteOverlay(route, bench.strategy.places)),
        closed=closed,
        actions=(
            *route_actions(route, shell.window, show_route),
            *run_actions(running, shell.window, lambda: shell.selected_rows()),
            Action("route-shorten", "Route", "Look for a shorter order …", "", shorten,
                   lambda: route.is_there and not route.why_not()),
            Action("route-original", "Route", "Put the original order back", "", shorter.put_back,
                   lambda: bool(s.plan.route.original)),
            Action("route-list", "Route", "Route as a list", "", toggle_list, lambda: route.is_there),
            *programs.commands(),
            Action("construct", "Edit", "Construct from the selection", "Ctrl+B", construct,
                   lambda: bool(s.proposing.offers)),
            Action("points-page", "Edit", "Points, and what they serve", "", show_points, lambda: bool(points.points)),
            Action("form-plot", "View", "Form plot as a full page", "Ctrl+F", toggle_page,
                   lambda: form.current() is not None or shell.full_page is page),
        ),
    )  # fmt: skip


STAGE = Stage(
    key="measure", title="Measure", glyph="measure", missing=needs_characteristics, build=_build, tells_why=True,
    shows_machine=True, content=ViewContent(datums=True, selection=True),
)  # fmt: skip
