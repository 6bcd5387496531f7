"""The user guide: pages in the order of the work, read in the window (F1) and in docs/user-guide.md."""

import re
from dataclasses import dataclass
from pathlib import Path

FOLDER = Path(__file__).parent
PAGES = ("begin", "part", "devices", "align", "measure", "list", "evaluate", "silhouette", "report", "many", "whole")


@dataclass(frozen=True, slots=True)
class Section:
    """A heading of a page with the text below it, without marks."""

    page: str
    title: str
    heading: str
    text: str


def page_path(page: str) -> Path:
    """Return the file of a page; the first one for what has none."""
    path = FOLDER / f"{page}.md"
    return path if path.exists() else FOLDER / f"{PAGES[0]}.md"


def title_of(page: str) -> str:
    """Return the heading of a page."""
    return page_path(page).read_text(encoding="utf-8").splitlines()[0].lstrip("# ")


def sections() -> list[Section]:
    """Return all headings of all pages, in their order."""
    found = []
    for page in PAGES:
        title = title_of(page)
        for part in re.split(r"^#+ ", page_path(page).read_text(encoding="utf-8"), flags=re.M)[1:]:
            heading, _, text = part.partition("\n")
            found.append(Section(page, title, heading.strip(), _plain(text)))
    return found


def found_in(words: str, where: list[Section]) -> list[Section]:
    """Return the sections that hold all words; those whose heading holds them come first."""
    wanted = words.lower().split()
    if not wanted:
        return []
    hits = [s for s in where if all(w in f"{s.title} {s.heading} {s.text}".lower() for w in wanted)]
    return sorted(hits, key=lambda s: not all(w in f"{s.title} {s.heading}".lower() for w in wanted))


def _plain(text: str) -> str:
    return re.sub(r"!?\[([^\]]*)\]\([^)]*\)", r"\1", text).replace("*", "").replace("`", "")
