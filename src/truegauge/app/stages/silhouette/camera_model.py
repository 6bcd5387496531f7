"""Where pictures come from in the window, and what is known of the camera: connecting, calibrating, checking."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.core.commands.silhouettes import SetSilhouette
from truegauge.core.errors import DeviceError, TrueGaugeError
from truegauge.core.plan.lens import CameraRecord, LensRecord, PinCheck, due_date
from truegauge.core.silhouette.calibrating import Pin, Plate, calibrated_by_pins, calibrated_by_plate, width_of_pin
from truegauge.devices.camera.files import PictureFiles
from truegauge.devices.camera.live import LiveCamera
from truegauge.devices.camera.opened import OpenedCamera
from truegauge.formats.camera_record_file import read_camera, write_camera

if TYPE_CHECKING:
    from truegauge.app.document.session import Session
    from truegauge.core.silhouette.edges import Picture
    from truegauge.demo.shadow_camera import ShadowBench
    from truegauge.devices.camera.source import Source, Taken

USUAL_PORT = 9100


def now() -> str:
    """Return the time with its zone, to the second (ISO 8601)."""
    return datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")


class CameraModel(QObject):
    """One source at a time. Signals: `changed` (what is known of it), `arrived` (a new picture waits)."""

    changed = Signal()
    arrived = Signal()
    _waiting = Signal()  # from any thread

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.source: Source | None = None
        self.record = CameraRecord()
        self.stand_in: ShadowBench | None = None
        self.picture: Picture | None = None  # the last one that was seen
        self._pins: list[tuple[Picture, Pin]] = []
        self._words = ""
        self._waiting.connect(self._on_waiting)

    # The source -----------------------------------------------------------------------------------------------------

    @property
    def words(self) -> str:
        """How the source is: what to do where no pictures come."""
        return self._words

    @property
    def is_live(self) -> bool:
        """Whether it is a camera, not files."""
        return self.source is not None and self.source.is_live

    @property
    def name(self) -> str:
        """The name shown; empty without a source."""
        return "" if self.source is None else self.source.name

    @property
    def files(self) -> PictureFiles | None:
        """The source where it is files."""
        return self.source if isinstance(self.source, PictureFiles) else None

    def open_stand_in(self, operator: str = "") -> None:
        """Use the made-up camera; its `operator` puts parts of a drawing down one after the other by himself."""
        from truegauge.demo.shadow_camera import ShadowBench

        self.close()
        bench = ShadowBench(operator=operator)
        if self._open(LiveCamera("127.0.0.1", bench.port)):
            self.stand_in = bench
            own = self._session.plan.silhouette
            if self.record.lens is None and own is not None and own.lens is not None and operator:
                # An example shows values at once: it is the camera that its plan was made with.
                self.record = CameraRecord(lens=own.lens)
            self.changed.emit()
        else:
            bench.close()

    def open_live(self, host: str, port: int) -> None:
        """Connect to a camera that speaks the device protocol."""
        self.close()
        self._open(LiveCamera(host, port))

    def open_camera(self, which: str) -> None:
        """Open a camera by its number or address, as OpenCV does."""
        self.close()
        self._open(OpenedCamera(which.strip()))

    def open_files(self, path: Path) -> None:
        """Show a picture, or those of a folder."""
        self.close()
        self._open(PictureFiles(path))

    def _open(self, source: Source) -> bool:
        source.waiting = self._waiting.emit
        try:
            source.connect()
        except DeviceError as error:
            source.close()
            self._session.notify(error)
            self.changed.emit()
            return False
        self.source, self._words = source, ""
        self.record = CameraRecord()
        if source.identity:
            try:
                self.record = read_camera(source.identity)
            except TrueGaugeError as error:
                self._session.notify(error)
        self.changed.emit()
        self._on_waiting()
        return True

    def close(self) -> None:
        """Let go of the source."""
        source, self.source = self.source, None
        if source is not None:
            source.waiting = lambda: None
            source.close()
        if self.stand_in is not None:
            self.stand_in.close()
            self.stand_in = None
        self.picture, self._words, self._pins = None, "", []
        self.changed.emit()

    def show_file(self, step: int) -> None:
        """Show the next picture of a folder, or the one before."""
        files = self.files
        if files is None or not 0 <= files.at + step < files.count:
            return
        try:
            files.show(files.at + step)
        except TrueGaugeError as error:
            self._session.notify(error)
        self.changed.emit()

    def _on_waiting(self) -> None:
        source = self.source
        if source is None:
            return
        if source.state.words != self._words:
            self._words = source.state.words
            if self._words:
                self._session.notify(self._words)
            self.changed.emit()
        self.arrived.emit()

    def take(self) -> Taken | None:
        """Return the newest picture, once."""
        found = None if self.source is None else self.source.take()
        if found is not None:
            self.picture = found.pixels
        return found

    # Calibration ------------------------------------------------------------------------------------------------------

    @property
    def lens(self) -> LensRecord | None:
        """The calibration in force: of the camera; of pictures from files that of the plan."""
        if self.source is not None and self.source.identity:
            return self.record.lens
        own = self._session.plan.silhouette
        return None if own is None else own.lens

    def trouble(self) -> str:
        """Say why nothing may be measured with this calibration now; empty where all is well."""
        if self.source is not None and self.source.identity:
            return self.record.trouble(now())
        return CameraRecord(lens=self.lens).trouble(now())

    def calibrate_by_plate(self, pitch: float, diameter: float, due: str = "") -> None:
        """Calibrate by the plate that is seen."""
        picture, until = self._seen(), self._due(due)
        if picture is not None and until is not None:
            plate = Plate(pitch, diameter)
            self._calibrate(lambda: LensRecord.of(calibrated_by_plate(picture, plate), picture.shape, due_at=until))

    def add_pin(self, diameter: float) -> None:
        """Take the pin that is seen for a calibration by pins."""
        picture = self._seen()
        if picture is not None:
            self._pins.append((picture, Pin(diameter)))
            self.changed.emit()

    @property
    def pins(self) -> int:
        """How many pins are taken for a calibration."""
        return len(self._pins)

    def calibrate_by_pins(self, due: str = "") -> None:
        """Calibrate by the pins that were taken."""
        until = self._due(due)
        if until is None:
            return
        taken, self._pins = list(self._pins), []
        if taken:
            shape = taken[0][0].shape
            self._calibrate(lambda: LensRecord.of(calibrated_by_pins(taken), shape, due_at=until))

    def forget_pins(self) -> None:
        """Begin anew with pins."""
        self._pins = []
        self.changed.emit()

    def check_pin(self, diameter: float, limit: float) -> None:
        """See whether the calibration holds on the pin that is seen."""
        picture, lens = self._seen(), self.lens
        if picture is None or lens is None:
            return

        def done(found: tuple[float, float]) -> None:
            wide, sure = found
            check = PinCheck(diameter=diameter, measured=wide, limit=limit, made_at=now())
            self._keep(self.record.checked(check))
            words = f"the pin of {diameter:g} mm is {1000 * check.deviation:+.1f} ± {2000 * sure:.1f} µm off"
            self._session.notify(f"{words}: {'the calibration holds' if check.holds else 'calibrate again'}")

        self._session.queue.start(lambda _: width_of_pin(picture, lens.calibration), done, "Checking on a pin")

    def _due(self, text: str) -> str | None:
        try:
            return due_date(text)
        except ValueError as error:
            self._session.notify(error)
            return None

    def _seen(self) -> Picture | None:
        if self.picture is None:
            self._session.notify("there is no picture: connect a camera first")
        return self.picture

    def _calibrate(self, make: Callable[[], LensRecord]) -> None:
        name = "" if self.source is None else self.source.identity

        def done(lens: LensRecord) -> None:
            said = lens.replace(camera=name, made_at=now())
            pixel = 1000 * lens.calibration.lens.pixel
            self.use(said)
            notes = "".join(f". {note}" for note in lens.notes)
            self._session.notify(f"calibrated: a pixel is {pixel:.3f} µm, lengths within "
                                 f"{2e6 * lens.scale_u:.0f} µm/m{notes}")  # fmt: skip

        self._session.queue.start(lambda _: make(), done, "Calibrating")

    def use(self, lens: LensRecord) -> None:
        """Put a calibration in force: of the camera, and into the plan that is made with it."""
        if self.source is not None and self.source.identity:
            self._keep(self.record.calibrated(lens))
        own = self._session.plan.silhouette
        if own is not None and own.lens != lens:
            self._session.run(SetSilhouette(own.replace(lens=lens), "calibration"))
        self.changed.emit()

    def _keep(self, record: CameraRecord) -> None:
        source = self.source
        if source is None or not source.identity:
            self._session.notify("pictures from files: their calibration is kept in the plan")
            return
        try:
            write_camera(source.identity, record)
        except TrueGaugeError as error:  # in force all the same, until the window is closed
            self._session.notify(error)
        self.record = record
        self.changed.emit()
