"""What is shown and how: one value with one setter, and the saved views that set it as a whole."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.app.document.look import Look
from truegauge.app.document.selection import Selection
from truegauge.core.commands.readings import SetTags, SetViews
from truegauge.core.commands.shown import SetScale
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.plan.views import SavedView, TagSettings

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.deviations.deviation_map import DeviationMap, MapMesh

WIDE = 1860 / 1080  # width over height of the pictures in a report


@dataclass(frozen=True, slots=True)
class Shown:
    """What the window shows beside the part."""

    points: bool = False
    colors: bool = False  # of the points, as the scanner gave them
    map: bool = False
    scan_map: bool = False  # the deviations on the points of the scan, not on the part
    map_needles: bool = False
    needles: bool = True  # residuals of the selected feature
    tags: bool = True  # of results, where a stage has them
    why: bool = False  # the number of the selected characteristic is what it is
    sections: bool = False  # where they cut the part
    view: str = ""  # the saved view that is looked at
    section: str = ""  # the section that is looked at flat
    live: bool = False  # the map of a scan that is being taken
    look: Look = field(default_factory=Look)

    @property
    def wants_map(self) -> bool:
        """Whether the map is shown, on the part or as needles."""
        return self.map or self.map_needles


@dataclass(frozen=True, slots=True, eq=False)
class LiveValues:
    """The map of a scan that is being taken: values (v,) mm at the vertices of a mesh, NaN where nothing was seen."""

    mesh: MapMesh
    values: Floats


class Showing(QObject):
    """Holds what is shown; tags and scale are the saved view's that is looked at, or the plan's."""

    changed = Signal()
    live_changed = Signal()  # the map of a scan that is being taken is another one
    eye_wanted = Signal(object)

    def __init__(self, document: Document, selection: Selection, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._selection = document, selection
        self.value = Shown()
        self.live: LiveValues | None = None
        self.other_map: DeviationMap | None = None
        document.part_changed.connect(self._on_part_changed)
        document.plan_changed.connect(self._keep_possible)

    def set(self, **changes: Any) -> None:
        """Show this too, or not any more."""
        value = replace(self.value, **changes)
        if value != self.value:
            self.value = value
            self.changed.emit()

    def set_other_map(self, other: DeviationMap | None) -> None:
        """Show another map in the place of the deviations as the part is aligned; None: those."""
        if other is not self.other_map:
            self.other_map = other
            self.changed.emit()

    def set_live(self, live: LiveValues | None) -> None:
        """Show the map of a scan that is being taken; None: it has ended."""
        self.live = live
        self.set(live=live is not None)
        self.live_changed.emit()

    def _on_part_changed(self) -> None:
        self.value = replace(self.value, look=Look(), view="", section="")  # who shows parts hears of the part

    def _keep_possible(self) -> None:
        plan = self._document.plan
        view = self.value.view if self.saved_view is not None else ""
        section = self.value.section if self.value.section in {s.id for s in plan.sections} else ""
        self.value = replace(self.value, view=view, section=section)

    @property
    def saved_view(self) -> SavedView | None:
        """The saved view that is looked at, if there is one."""
        return next((v for v in self._document.plan.views if v.id == self.value.view), None)

    @property
    def tags(self) -> TagSettings:
        """What tags are shown: those of the saved view, or of the plan."""
        view = self.saved_view
        return self._document.plan.tags if view is None else view.tags

    @property
    def scale(self) -> DeviationScale:
        """The deviation scale: that of the saved view if it has its own, or of the plan."""
        view = self.saved_view
        return self._document.plan.scale if view is None or view.scale is None else view.scale

    def set_scale(self, scale: DeviationScale, merge_key: str = "") -> None:
        """Change the scale: of the saved view if it has its own, else of the plan."""
        view = self.saved_view
        if view is None or view.scale is None:
            self._document.run(SetScale(scale, merge_key=merge_key))
            return
        changed = tuple(v.replace(scale=scale) if v.id == view.id else v for v in self._document.plan.views)
        self._document.run(SetViews(changed, "change deviation scale", merge_key))

    def set_tags(self, label: str = "change the tags", merge_key: str = "", **changes: Any) -> None:
        """Change the tags of the saved view that is looked at, or of the plan."""
        try:
            tags = self.tags.replace(**changes)
        except ValueError as error:
            self._document.notify(error)
            return
        view = self.saved_view
        if view is None:
            self._document.run(SetTags(tags, label, merge_key))
            return
        changed = tuple(v.replace(tags=tags) if v.id == view.id else v for v in self._document.plan.views)
        self._document.run(SetViews(changed, label, merge_key))

    def look_at_view(self, view_id: str) -> None:
        """Look as a saved view does; an empty id goes back to a view of its own."""
        view = next((v for v in self._document.plan.views if v.id == view_id), None)
        if view is None:
            self.set(view=view_id)
            return
        box = None if view.section_box is None else np.array(view.section_box)
        look = Look(frozenset(view.hidden), view.opacity, view.edges_only, box)
        self.value = replace(
            self.value, view=view_id, section="", look=look, map=view.show == "map", scan_map=view.show == "scan",
            points=view.points, map_needles=view.needles,
        )  # fmt: skip
        self.eye_wanted.emit(view.eye)
        self.changed.emit()

    def look_at_section(self, section_id: str) -> None:
        """Show a section flat; an empty id goes back to the part."""
        self.set(section=section_id)

    def set_look(self, **changes: Any) -> None:
        """Change how the part is shown: hidden faces, transparency, edges only, section box."""
        self.set(look=replace(self.value.look, **changes))

    def hide_selected(self) -> None:
        """Hide the selected faces."""
        faces = frozenset(f for f in self._selection.faces() if f >= 0)
        self._selection.select(())
        self.set_look(hidden=self.value.look.hidden | faces)

    def show_only_selected(self) -> None:
        """Hide all faces but the selected ones and those of the same element."""
        if self._document.model is None:
            return
        wanted = set(self._selection.faces())
        for face in tuple(wanted):
            element = self._selection.element_of(face)
            wanted |= set(element.faces) if element else set()
        self.set_look(hidden=frozenset(f.index for f in self._document.model.faces if f.index not in wanted))

    def show_all(self) -> None:
        """Show every face again."""
        self.set_look(hidden=frozenset())
