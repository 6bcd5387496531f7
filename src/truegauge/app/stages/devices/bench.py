"""The Devices bench: pages for the machine, the probe, its poses, the rack, and qualification."""

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.check_page import CheckPage
from truegauge.app.stages.devices.machine_page import MachinePage
from truegauge.app.stages.devices.model import PAGES, DevicesModel
from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.poses_page import PosesPage
from truegauge.app.stages.devices.probe_page import ProbePage
from truegauge.app.stages.devices.qualify_page import QualifyPage
from truegauge.app.stages.devices.rack_page import RackPage
from truegauge.app.stages.devices.setup.page import SetupPage
from truegauge.app.widgets.paged_bench import PagedBench
from truegauge.app.widgets.theme import Theme

_TITLES = {"machine": "Machine", "probe": "Probe assemblies", "poses": "Poses", "rack": "Rack",
           "qualify": "Qualification", "check": "Check of the machine", "portable": "Portable devices",
           "setup": "Set-up of portable devices"}  # fmt: skip


class DevicesBench(PagedBench):
    """One page at a time."""

    title, names, titles = "Machine", PAGES, _TITLES

    def __init__(
        self, model: DevicesModel, theme: Theme, ask_catalogue: Callable[[], object], portable: PortablePage,
        setup: SetupPage, parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self.model = self.paged = model
        self._theme, self._ask_catalogue = theme, ask_catalogue
        self.portable_page, self.setup_page = portable, setup
        super().__init__(model.session, parent)
        model.changed.connect(self._on_changed)

    def _make_pages(self) -> tuple[QWidget, ...]:
        self.machine_page = MachinePage(self.model)
        self.probe_page = ProbePage(self.model, self._ask_catalogue)
        self.poses_page = PosesPage(self.model, self._theme)
        self.rack_page = RackPage(self.model)
        self.qualify_page = QualifyPage(self.model, self._theme)
        self.check_page = CheckPage(self.model)
        return (
            self.machine_page, self.probe_page, self.poses_page, self.rack_page, self.qualify_page, self.check_page,
            self.portable_page, self.setup_page,
        )  # fmt: skip
