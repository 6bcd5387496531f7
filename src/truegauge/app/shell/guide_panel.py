"""The user guide beside the work: at the page of the stage, to be searched."""

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QKeyEvent, QTextBlockFormat, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from truegauge.app.widgets.bench import Choice, button, label
from truegauge.app.widgets.text_size import TEXT, keep_size, panel_sized, sized
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.guide import FOLDER, PAGES, Section, found_in, page_path, sections, title_of

_WIDTH, _HITS, _ROW = 400, 8, 22  # pixels, and rows
_HEADINGS = (19, 14)  # pixels
_SECTION = Qt.ItemDataRole.UserRole


class GuidePanel(QWidget):
    """At the right of the window."""

    opened = Signal()  # or closed

    def __init__(self, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._sections: list[Section] = []
        self.setObjectName("guide")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 10, 8)
        column.setSpacing(6)
        top = QHBoxLayout()
        self.pages = Choice()
        self.pages.setAccessibleName("page of the guide")
        for page in PAGES:
            self.pages.addItem(title_of(page), page)
        self.pages.activated.connect(lambda k: self.open_page(str(self.pages.itemData(k))))
        self.close_button = button("Close", self.hide)
        top.addWidget(label("Guide", "heading"))
        top.addWidget(self.pages, 1)
        top.addWidget(self.close_button)
        column.addLayout(top)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search the guide")
        self.search.setAccessibleName("search the guide")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._on_searched)
        self.search.returnPressed.connect(self._open_first)
        column.addWidget(self.search)
        self.hits = QListWidget()
        self.hits.setAccessibleName("found in the guide")
        self.hits.itemClicked.connect(self._open_hit)
        self.hits.itemActivated.connect(self._open_hit)
        self.hits.hide()
        column.addWidget(self.hits)
        self.text = QTextBrowser()
        self.text.setOpenExternalLinks(False)
        self.text.setSearchPaths([str(FOLDER)])
        self.text.setAccessibleName("page of the guide")
        self.text.sourceChanged.connect(self._on_source)
        column.addWidget(self.text, 1)
        theme.changed.connect(self._restyle)
        TEXT.changed.connect(self._restyle)
        self.page = ""
        self.is_open = False
        self._restyle()
        self.hide()

    def open_page(self, page: str) -> None:
        """Show a page, from its beginning."""
        path = page_path(page)
        self.page = path.stem
        self.pages.setCurrentIndex(PAGES.index(self.page))
        self.text.setSource(QUrl.fromLocalFile(str(path)))
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        if not self.is_open:
            self.is_open = True
            self.opened.emit()  # before it takes its room
            self.show()

    def _on_source(self, source: QUrl) -> None:
        """A link may lead to another page."""
        name = source.fileName().removesuffix(".md")
        if name in PAGES:
            self.page = name
            self.pages.setCurrentIndex(PAGES.index(name))
        self._dress()

    def _restyle(self) -> None:
        t = self._theme
        self.setFixedWidth(panel_sized(_WIDTH))
        self.text.document().setDefaultStyleSheet(f"a {{ color: {t.accent}; }}")
        self.text.setStyleSheet(f"QTextBrowser {{ border: none; background: transparent; color: {t.ink}; }}")
        self.text.document().setDocumentMargin(2)
        if self.page:
            self.text.reload()

    def _dress(self) -> None:
        """Show pictures no wider than the page, and headings in our sizes with room above them."""
        room = self.width() - 44
        block = self.text.document().begin()
        while block.isValid():
            level = block.blockFormat().headingLevel()
            if level:
                cursor = QTextCursor(block)
                cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
                letters, place = QTextCharFormat(), QTextBlockFormat()
                letters.setFont(font(sized(_HEADINGS[min(level, 2) - 1]), bold=True))
                place.setTopMargin(sized(12) if level > 1 else 0)
                place.setBottomMargin(sized(4))
                cursor.mergeCharFormat(letters)
                cursor.mergeBlockFormat(place)
            for part in block:  # type: ignore[attr-defined]
                fragment = part.fragment()
                image = fragment.charFormat().toImageFormat()
                if image.isValid():
                    image.setWidth(room)
                    cursor = QTextCursor(self.text.document())
                    cursor.setPosition(fragment.position())
                    cursor.setPosition(fragment.position() + 1, QTextCursor.MoveMode.KeepAnchor)
                    cursor.setCharFormat(image)
            block = block.next()

    def hideEvent(self, event: object) -> None:
        """Give its room back."""
        if self.isHidden() and self.is_open:  # not only the window is
            self.is_open = False
            self.opened.emit()

    # Searching -------------------------------------------------------------------------------------------------

    def _on_searched(self, words: str) -> None:
        if not self._sections:
            self._sections = sections()
        found = found_in(words, self._sections)[:_HITS]
        self.hits.clear()
        for section in found:
            where = section.heading if section.heading == section.title else f"{section.title}: {section.heading}"
            item = QListWidgetItem(where)
            item.setData(_SECTION, section)
            self.hits.addItem(item)
        if words.strip() and not found:
            self.hits.addItem("Nothing holds all these words")
            self.hits.item(0).setFlags(Qt.ItemFlag.NoItemFlags)
        keep_size(self.hits, height=_ROW * max(1, self.hits.count()) + 6)
        self.hits.setVisible(bool(words.strip()))

    def _open_first(self) -> None:
        self._open_hit(self.hits.currentItem() or self.hits.item(0))

    def _open_hit(self, item: QListWidgetItem | None) -> None:
        section: Section | None = None if item is None else item.data(_SECTION)
        if section is None:
            return
        self.open_page(section.page)
        document = self.text.document()
        found = document.find(section.heading)
        while not found.isNull() and not found.blockFormat().headingLevel():
            found = document.find(section.heading, found)
        if not found.isNull():
            found.clearSelection()
            self.text.setTextCursor(found)
            self.text.verticalScrollBar().setValue(self.text.verticalScrollBar().value() + self.text.cursorRect().y())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes the guide; Down goes from the field to what was found."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        elif event.key() == Qt.Key.Key_Down and self.hits.isVisible():
            self.hits.setFocus()
            self.hits.setCurrentRow(0)
        else:
            super().keyPressEvent(event)
