"""The page Camera: where pictures come from, its calibration, checks on a pin; what a made-up hand does."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from truegauge.app.stages.silhouette.fields import text_field
from truegauge.app.widgets.bench import Pairs, button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import choice, choose, row

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel

_KINDS = (("stand-in", "made-up camera"), ("live", "device protocol"), ("opened", "this computer's"),
          ("files", "pictures"))  # fmt: skip
_HINTS = {"live": "127.0.0.1:9100", "opened": "0"}
_PARTS = (("LW-1408", "focuser shaft"), ("LW-1409", "spacer ring"), ("LW-1410", "detent plate"))


class CameraPage(QWidget):
    """Source first, then what is known of it."""

    def __init__(self, model: SilhouetteModel, ask_pictures: Callable[[], object],
                 ask_folder: Callable[[], Path | None]) -> None:  # fmt: skip
        super().__init__()
        self._model, self._camera = model, model.camera
        self._ask_pictures, self._ask_folder = ask_pictures, ask_folder
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._kind = "stand-in"
        self.kind = choice(_KINDS, self._on_kind, "where pictures come from")
        self.address = text_field("address of the camera", lambda _: None)
        self.open = button("Connect", self._on_open, main=True)
        self.folder = button("Folder …", self._on_folder)
        self.close_it = button("Disconnect", self._camera.close)
        self.state = label("", "soft", wrap=True)
        self.before, self.after = (button("Before", lambda: self._camera.show_file(-1)),
                                   button("Next", lambda: self._camera.show_file(1)))  # fmt: skip
        self.files = row(self.before, self.after)
        self.trouble = label("", "bad", wrap=True)
        self.pairs = Pairs()
        self.plate, self.pins, self.check = (
            Fold("Calibrate by a plate"),
            Fold("Calibrate by pins"),
            Fold("Check on a pin"),
        )
        self.hand = Fold("What the made-up hand does")
        self._build_plate()
        self._build_pins()
        self._build_check()
        self._build_hand()
        for widget in (self.kind, self.address, row(self.open, self.folder), self.close_it, self.state, self.files,
                       self.trouble, label("Calibration", "heading"), self.pairs, self.plate, self.pins, self.check,
                       self.hand):  # fmt: skip
            column.addWidget(widget)
        column.addStretch()

    def _build_plate(self) -> None:
        hint = "Dark dots on a square grid, all over the picture."
        self.pitch, self.dot = number_box(0.01, 500, 4), number_box(0.005, 400, 4)
        self.pitch.setValue(2.0)
        self.dot.setValue(1.0)
        self.plate_due = text_field("calibration is due on", lambda _: None, hint="2027-06-30", width=104)
        self.by_plate = button("Calibrate by the plate", self._on_plate, main=True)
        rows = (row("Dots apart, mm", self.pitch), row("Dots wide, mm", self.dot), row("Due on", self.plate_due))
        for widget in (label(hint, "soft", wrap=True), *rows, self.by_plate):
            self.plate.column.addWidget(widget)

    def _build_pins(self) -> None:
        hint = "Pins of known diameter, one after the other: across and aslant to each other, at several places."
        self.pin = number_box(0.01, 500, 4)
        self.pin.setValue(4.0)
        self.pins_due = text_field("calibration by pins is due on", lambda _: None, hint="2027-06-30", width=104)
        self.take_pin = button("Take this pin", lambda: self._camera.add_pin(self.pin.value()))
        self.forget = button("Forget them", self._camera.forget_pins)
        self.taken = label("", "soft")
        self.by_pins = button("Calibrate by the pins", self._on_pins, main=True)
        for widget in (label(hint, "soft", wrap=True), row("Diameter, mm", self.pin), row(self.take_pin, self.forget),
                       self.taken, row("Due on", self.pins_due), self.by_pins):  # fmt: skip
            self.pins.column.addWidget(widget)

    def _build_check(self) -> None:
        self.check_pin, self.check_limit = number_box(0.01, 500, 4), number_box(0.1, 1000, 1)
        self.check_pin.setValue(4.0)
        self.check_limit.setValue(2.0)
        self.checked = label("", "soft", wrap=True)
        self.do_check = button("Check on this pin", self._on_check)
        for widget in (row("Diameter, mm", self.check_pin), row("Limit, µm", self.check_limit), self.do_check,
                       self.checked):  # fmt: skip
            self.check.column.addWidget(widget)

    def _build_hand(self) -> None:
        self.part = choice(_PARTS, lambda _: None, "part that is put down")
        self.put = button("Put one down", self._on_put)
        self.away = button("Take it away", lambda: self._do(lambda b: b.take_away()))
        self.lay_plate = button("Lay the plate", lambda: self._do(lambda b: b.plate()))
        self.lay_pin = button("Lay a pin", self._on_lay_pin)
        self.dirt = button("Dirt falls", lambda: self._do(lambda b: b.device.do(lambda s: s.dirty(2))))
        self.wipe = button("Wipe it", lambda: self._do(lambda b: b.device.do(lambda s: s.clean())))
        self.by_itself = QCheckBox("Part after part, by itself")
        self.by_itself.toggled.connect(self._on_by_itself)
        for widget in (self.part, row(self.put, self.away), row(self.lay_plate, self.lay_pin),
                       row(self.dirt, self.wipe), self.by_itself):  # fmt: skip
            self.hand.column.addWidget(widget)
        self._number = 0

    def _do(self, what: Callable[..., object]) -> None:
        if self._camera.stand_in is not None:
            what(self._camera.stand_in)

    def _on_lay_pin(self) -> None:
        turn = float(np.random.default_rng().uniform(0.0, np.pi))
        self._do(lambda b: b.pin(4.0, turn))

    def _on_put(self) -> None:
        number, drawing = self._number, str(self.part.currentData())
        self._number += 1
        self._do(lambda b: b.put(number, drawing))

    def _on_by_itself(self, on: bool) -> None:
        drawing = str(self.part.currentData())
        self._do(lambda b: b.go_on(drawing if on else ""))

    def _on_kind(self, kind: str) -> None:
        self._kind = kind
        self.address.setText(_HINTS.get(kind, ""))
        self.refresh()

    def _on_open(self) -> None:
        words = self.address.text().strip()
        if self._kind == "stand-in":
            self._camera.open_stand_in()
        elif self._kind == "files":
            self._ask_pictures()
        elif self._kind == "opened":
            self._camera.open_camera(words or "0")
        else:
            host, _, port = words.rpartition(":")
            if not port.isdigit():
                self._model.session.notify(f"{words!r} is no address: type 127.0.0.1:9100, or the like")
                return
            self._camera.open_live(host or "127.0.0.1", int(port))

    def _on_folder(self) -> None:
        folder = self._ask_folder()
        if folder is not None:
            self._camera.open_files(folder)

    def _on_plate(self) -> None:
        self._camera.calibrate_by_plate(self.pitch.value(), self.dot.value(), self.plate_due.text().strip())

    def _on_pins(self) -> None:
        self._camera.calibrate_by_pins(self.pins_due.text().strip())

    def _on_check(self) -> None:
        self._camera.check_pin(self.check_pin.value(), self.check_limit.value() / 1000)

    def refresh(self) -> None:
        """Show the camera as it is now."""
        c = self._camera
        is_open = c.source is not None
        choose(self.kind, self._kind)
        for widget in (self.kind, self.open):
            widget.setVisible(not is_open)
        self.address.setVisible(not is_open and self._kind in _HINTS)
        self.folder.setVisible(not is_open and self._kind == "files")
        self.open.setText("Pictures …" if self._kind == "files" else "Connect")
        self.close_it.setVisible(is_open)
        files = c.files
        said = c.name if files is None else f"{c.name}: picture {files.at + 1} of {files.count}"
        say(self.state, f"{said}. {c.words}".strip(". ") if is_open else "")
        self.files.setVisible(files is not None and files.count > 1)
        if files is not None:
            self.before.setEnabled(files.at > 0)
            self.after.setEnabled(files.at + 1 < files.count)
        say(self.trouble, c.trouble() if is_open or self._model.silhouette is not None else "")
        self._show_lens()
        for fold in (self.plate, self.pins, self.check):
            fold.setVisible(is_open)
        self.hand.setVisible(c.stand_in is not None)
        say(self.taken, f"{c.pins} taken" if c.pins else "")
        self.by_pins.setEnabled(c.pins > 0)
        self.forget.setEnabled(c.pins > 0)
        self.do_check.setEnabled(c.lens is not None)

    def _show_lens(self) -> None:
        lens = self._camera.lens
        if lens is None:
            self.pairs.show_pairs([("calibrated", "no")])
            say(self.checked, "")
            return
        how = {"plate": "a plate", "pins": "pins", "given": "as stated"}[lens.by]
        pixel = 1000 * lens.calibration.lens.pixel
        pairs = [("a pixel", f"{pixel:.3f} µm"), ("lengths within", f"{2e6 * lens.scale_u:.0f} µm/m"), ("by", how)]
        if lens.made_at:
            pairs.append(("on", lens.made_at[:10]))
        pairs.append(("due", lens.due_at or "never"))
        self.pairs.show_pairs(pairs)
        checks = self._camera.record.checks
        if checks:
            last = checks[-1]
            words = (
                f"{last.made_at[:10]}: {1000 * last.deviation:+.1f} µm, {'holds' if last.holds else 'does not hold'}"
            )
            say(self.checked, words)
        else:
            say(self.checked, "not checked since it was calibrated")
