"""Where a device is: host and port, typed."""

from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size


class AddressFields(QWidget):
    """`chosen` is called with host and port when Enter is pressed; a port that is none is said."""

    def __init__(self, session: Session, port: int, what: str, chosen: Callable[[str, int], object]) -> None:
        super().__init__()
        self._session, self._chosen = session, chosen
        self.host, self.port = QLineEdit("127.0.0.1"), QLineEdit(str(port))
        self.host.setAccessibleName(f"host of the {what}")
        self.port.setAccessibleName(f"port of the {what}")
        keep_size(self.port, width=64)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(row(self.host, self.port))
        for field in (self.host, self.port):
            field.returnPressed.connect(self.choose)

    def choose(self) -> None:
        """Take what is typed."""
        text = self.port.text().strip()
        if not text.isdecimal() or not 0 < int(text) < 65536:
            self._session.notify(f"{self.port.text()!r} is no port: a whole number from 1 to 65535")
            return
        self._chosen(self.host.text().strip(), int(text))
