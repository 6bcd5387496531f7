"""A bench with pages: a tab each, of which one is seen."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Protocol

from PySide6.QtWidgets import QSizePolicy, QWidget

from truegauge.app.widgets.bench import Bench, PageTabs, Stack


class Page(Protocol):
    """What a page of a bench can do."""

    def refresh(self) -> None:
        """Show things as they are now."""


class Paged(Protocol):
    """The model of a bench with pages: which one is seen."""

    page: str

    def set_page(self, page: str, /) -> None:
        """Open a page."""


class PagedBench(Bench):
    """Subclasses give `names` (key, word on the tab), `titles`, `paged` before `_build`, and make their pages."""

    names: tuple[tuple[str, str], ...] = ()
    titles: Mapping[str, str] = MappingProxyType({})
    paged: Paged

    def _make_pages(self) -> tuple[QWidget, ...]:
        """Return the pages, in the order of their tabs."""
        raise NotImplementedError

    def _build(self) -> None:
        tabs = PageTabs(self.names, self.paged.set_page)
        self.tabs = tabs.buttons
        self.column.addWidget(tabs)
        self._pages = self._make_pages()
        self.pages = Stack()
        for page in self._pages:
            self.pages.addWidget(page)
        # Beside a scroll bar the pages get a little narrower.
        self.pages.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.column.addWidget(self.pages, 1)

    def refresh(self) -> None:
        """Show the page that is chosen."""
        index = [key for key, _ in self.names].index(self.paged.page)
        self.tabs[self.paged.page].setChecked(True)
        self.heading.setText(self.titles[self.paged.page])
        self.pages.setCurrentIndex(index)
        page: Page = self._pages[index]  # type: ignore[assignment]
        page.refresh()
