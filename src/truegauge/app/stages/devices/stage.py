"""The Devices stage: the machine, its probes, qualifications."""

from functools import partial

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from truegauge.app.document.needs import needs_part
from truegauge.app.document.next_step import NextStep
from truegauge.app.shell.devices import DeviceKind
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import STAGES, Stage, StageParts
from truegauge.app.stages.devices.bench import DevicesBench
from truegauge.app.stages.devices.check_result import CheckResult
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.machine_view import MachineView
from truegauge.app.stages.devices.model import PAGES, DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.portable.prepared import PreparedModel
from truegauge.app.stages.devices.portable.readout import LiveReadout, ReadoutWindow
from truegauge.app.stages.devices.portable.scan_overlay import ScanOverlay
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.stages.devices.portable.sound import ReadoutSound
from truegauge.app.stages.devices.portable.taking import TakingModel
from truegauge.app.stages.devices.readout import MachineReadout
from truegauge.app.stages.devices.result_page import ResultPage
from truegauge.app.stages.devices.setup.model import SetupModel
from truegauge.app.stages.devices.setup.page import SetupPage
from truegauge.app.stages.devices.setup.view import SetupView
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.view.content import ViewContent
from truegauge.app.widgets.action import Action


def machine(shell: Shell) -> MachineModel:
    """The machine of a window."""
    return shell.once(MachineModel, lambda: MachineModel(shell.session, shell))


def touching(shell: Shell) -> TouchModel:
    """Touching by it."""
    return shell.once(TouchModel, lambda: TouchModel(machine(shell), shell))


def portable(shell: Shell) -> PortableModel:
    """The portable devices of a window."""
    return shell.once(PortableModel, lambda: PortableModel(shell.session, shell))


def _build(shell: Shell) -> StageParts:
    s, theme = shell.session, shell.theme
    by_hand = portable(shell)

    def toggle_readout() -> None:
        shell.toggle_full_page(live)

    def close_readout() -> None:
        if shell.full_page is live:
            toggle_readout()

    waiting = shell.once(PreparedModel, lambda: PreparedModel(by_hand, shell))
    live = shell.once(LiveReadout, lambda: LiveReadout(by_hand, theme, close_readout))
    apart = {"": shell.once(ReadoutWindow, lambda: ReadoutWindow(by_hand, theme))}

    def open_apart(only: str = "") -> None:
        """Open the window of a readout, of all without an id."""
        if only not in apart:
            apart[only] = ReadoutWindow(by_hand, theme, only)
        apart[only].open()

    scan = shell.once(ScanModel, lambda: ScanModel(by_hand, shell))
    taking = shell.once(TakingModel, lambda: TakingModel(by_hand, shell))
    sounds = shell.once(ReadoutSound, lambda: ReadoutSound(by_hand, shell))
    setup = shell.once(SetupModel, lambda: SetupModel(by_hand, shell))
    setup_page = shell.once(SetupPage, lambda: SetupPage(setup))
    setup_view = shell.once(SetupView, lambda: SetupView(setup, theme))
    page = shell.once(PortablePage, lambda: PortablePage(by_hand, waiting, scan, taking, open_apart))
    model = shell.once(DevicesModel, lambda: DevicesModel(machine(shell), shell))
    scene = shell.once(MachineView, lambda: MachineView(model, theme))
    result = shell.once(ResultPage, lambda: ResultPage(model, theme))
    checked = shell.once(CheckResult, lambda: CheckResult(model, theme))
    readout = MachineReadout(touching(shell), theme, lambda: STAGES[s.stage].shows_machine and not shell.middle_alone)
    shell.middle_changed.connect(readout.refresh)
    model.changed.connect(shell.middle_changed)
    scan.changed.connect(shell.middle_changed)
    # Once it has the room that it gets.
    scan.changed.connect(lambda: QTimer.singleShot(0, shell.view, shell.view.fit) if scan.on else None)

    def ask_catalogue() -> None:
        shell.files.ask_open("Components from a file", "Catalogues (*.json)", model.add_catalogue)

    def middle() -> QWidget | None:
        there = model.page == "qualify" and model.chosen_use is not None and model.qualifying.run_state is None
        if model.page == "check" and model.checking.run_state is None and model.checking.last is not None:
            return checked
        if model.page == "setup":
            return setup_view
        if model.page == "portable":
            return None if scan.on else live
        return result if there else scene

    def open_page(key: str) -> None:
        s.set_stage("devices")
        model.set_page(key)

    def next_step() -> NextStep | None:
        cmm = machine(shell)
        if model.page in ("portable", "setup") or (by_hand.arm is not None and not cmm.connected):
            if by_hand.arm is None or by_hand.lie() is not None:
                return None
            return NextStep("Align the part: a guided alignment says where to touch", "new-guided")
        if not cmm.connected:
            return NextStep("Connect to a machine, or start the stand-in; a scan needs none", "devices-machine")
        if not cmm.homed:
            return NextStep("Home the machine: then it may move", "devices-machine")
        if not model.probing.assemblies:
            return NextStep("Build a probe", "devices-probe")
        needing = len(model.in_need())
        words = f"Qualify {needing} {'stylus' if needing == 1 else 'styli'}"
        return NextStep(words, "devices-qualify") if needing else None

    def closed() -> None:
        machine(shell).close()
        scan.close()
        taking.close()
        sounds.close()
        by_hand.close()
        for window in apart.values():
            window.close()
        scene.let_go()

    return StageParts(
        next=next_step, bench=DevicesBench(model, theme, ask_catalogue, page, setup_page), middle=middle,
        overlay=ScanOverlay(scan), above=shell.once(MachineReadout, lambda: readout), closed=closed,
        actions=(
            *(Action(f"devices-{key}", "Devices", f"Open {words}", "", partial(open_page, key))
              for key, words in PAGES),
            Action("live-readout", "Devices", "Live readout of the tip", "Ctrl+Shift+D", toggle_readout,
                   lambda: by_hand.arm is not None or shell.full_page is live),
            Action("live-window", "Devices", "Live readout in a window of its own", "", open_apart,
                   lambda: by_hand.arm is not None),
            Action("take-point", "Devices", "Take a point where the tip is", "", taking.take_point,
                   lambda: taking.line is not None),
            Action("scan", "Devices", "Scan, or stop scanning and make it the scan", "Ctrl+Shift+C",
                   lambda: (scan.stop if scan.on else scan.start)(), lambda: by_hand.scanner is not None),
            Action("stop-machine", "Devices", "Stop the machine", "Ctrl+Shift+X", machine(shell).stop,
                   lambda: machine(shell).connected),
        ),
    )  # fmt: skip


JOYSTICK = DeviceKind(
    key="machine", title="the machine", is_there=lambda shell: machine(shell).connected,
    open=lambda shell: touching(shell).hand,
)  # fmt: skip

PORTABLE = DeviceKind(
    key="portable", title="the arm", is_there=lambda shell: portable(shell).arm is not None
    or portable(shell).stand.is_possible, open=lambda shell: portable(shell).lend(),
)  # fmt: skip

STAGE = Stage(
    key="devices",
    title="Devices",
    glyph="devices",
    missing=needs_part,
    build=_build,
    shows_machine=True,
    ledger_gives_way=True,
    content=ViewContent(tags=False),
)
