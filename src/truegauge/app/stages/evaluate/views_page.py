"""Saved views: the list with their pictures, and the tags of the one that is looked at."""

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.bench import button
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.plan.views import SavedView
from truegauge.rendering.camera import Camera

_SHOWN = (("needed", "selected, outside, near"), ("outside", "what is outside"), ("all", "all"),
          ("listed", "those chosen for this view"), ("none", "only the selected one"))  # fmt: skip
_LAYOUTS = (("sides", "at the left and right"), ("rows", "in rows above and below"), ("around", "all around"))
_PARTS = (("number", "number"), ("name", "name"), ("frame", "frame"), ("measured", "measured"),
          ("deviation", "deviation"), ("limits", "limits"), ("gauge", "gauge bar"), ("dx", "dx"), ("dy", "dy"),
          ("dz", "dz"), ("total", "distance"))  # fmt: skip
THUMB = QSize(60, 38)


class ViewsPage(QWidget):
    """Save, look at, order and remove views; what their tags show."""

    def __init__(
        self, model: EvaluateModel, camera: Callable[[], Camera | None], picture: Callable[[SavedView], QImage | None]
    ) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        self._camera, self._picture = camera, picture
        self._thumbs: dict[str, tuple[object, QPixmap]] = {}
        s = self.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.save = button("Save what is seen", lambda: model.save_view(self._camera()), main=True)
        column.addWidget(self.save)
        self.list = QListWidget()
        self.list.setIconSize(THUMB)
        self.list.setAccessibleName("saved views")
        keep_size(self.list, least_height=112)
        self.list.currentItemChanged.connect(self._on_chosen)
        self.list.itemClicked.connect(lambda item: self._on_chosen(item, None))
        column.addWidget(self.list, 1)
        self.own = QWidget()
        inside = QVBoxLayout(self.own)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the view")
        self.name.editingFinished.connect(self._on_name)
        self.in_report = QCheckBox("In the report")
        self.in_report.toggled.connect(lambda on: self._with(lambda v: self._set_report(v, on)))
        self.own_scale = QCheckBox("Own scale")
        self.own_scale.setToolTip("The Map page then changes the scale of this view, and of no other")
        self.own_scale.toggled.connect(lambda on: self._with(lambda v: self._set_scale(v, on)))
        inside.addWidget(self.name)
        inside.addWidget(row(self.in_report, self.own_scale))
        inside.addWidget(
            row(button("Up", lambda: self._with(lambda v: model.move_view(v.id, -1))),
                button("Down", lambda: self._with(lambda v: model.move_view(v.id, 1))),
                button("Remove", lambda: self._with(lambda v: model.remove_view(v.id))))
        )  # fmt: skip
        inside.addWidget(
            row(button("Update to what is seen", lambda: self._with(lambda v: model.update_view(v.id, camera()))),
                button("Leave", lambda: s.showing.look_at_view("")))
        )  # fmt: skip
        column.addWidget(self.own)
        tags = Fold("Tags")
        tags.header.setChecked(True)
        self.shown = choice(_SHOWN, lambda k: s.showing.set_tags(shown=k), "which tags are shown")
        self.layout_choice = choice(_LAYOUTS, lambda k: s.showing.set_tags(layout=k), "where tags stand")
        self.parts = {key: QCheckBox(words) for key, words in _PARTS}
        for key, box in self.parts.items():
            box.toggled.connect(lambda on, k=key: self._on_part(k, on))
        tags.column.addWidget(self.shown)
        tags.column.addWidget(self.layout_choice)
        boxes = list(self.parts.values())
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        for k, box in enumerate(boxes):
            grid.addWidget(box, k // 3, k % 3)
        tags.column.addLayout(grid)
        self.list_it = button("Add selected", self._on_list)
        self.list_it.setToolTip("Show the selected characteristic in this view, or take it out")
        self.tidy = button("Tidy", lambda: s.showing.set_tags("tidy the tags", pinned=(), hidden=()))
        self.tidy.setToolTip("Drag a tag to pin it, right-click it to hide it; this takes both back")
        tags.column.addWidget(row(self.list_it, self.tidy))
        column.addWidget(tags)
        column.addStretch()

    def _with(self, act: Callable[[SavedView], None]) -> None:
        view = self.session.showing.saved_view
        if view is not None:
            act(view)

    def _set_report(self, view: SavedView, on: bool) -> None:
        if view.in_report != on:
            self._model.change_view(view.id, "view in the report", in_report=on)

    def _set_scale(self, view: SavedView, on: bool) -> None:
        if (view.scale is not None) != on:
            scale = self.session.plan.scale if on else None
            self._model.change_view(view.id, "scale of the view", scale=scale)
            self.session.showing.changed.emit()

    def _on_name(self) -> None:
        view, text = self.session.showing.saved_view, self.name.text().strip()
        if view is not None and text and text != view.name:
            self._model.change_view(view.id, "rename view", name=text)

    def _on_chosen(self, item: QListWidgetItem | None, before: object) -> None:
        if item is not None and self.list.hasFocus():
            self.session.showing.look_at_view(str(item.data(Qt.ItemDataRole.UserRole)))

    def _on_part(self, key: str, on: bool) -> None:
        now = self.session.showing.tags.parts
        if (key in now) == on:
            return
        wanted = {*now, key} if on else set(now) - {key}
        self.session.showing.set_tags("change what tags say", parts=tuple(k for k, _ in _PARTS if k in wanted))

    def _on_list(self) -> None:
        chosen, tags = self.session.selection.characteristic, self.session.showing.tags
        if chosen and chosen not in tags.listed:
            self.session.showing.set_tags(shown="listed", listed=(*tags.listed, chosen))
        elif chosen:
            self.session.showing.set_tags(listed=tuple(c for c in tags.listed if c != chosen))

    def refresh(self) -> None:
        """Show the views and the tags of the one that is looked at."""
        s = self.session
        self.save.setEnabled(s.model is not None)
        views = s.plan.views
        self.list.blockSignals(True)
        while self.list.count() > len(views):
            self.list.takeItem(self.list.count() - 1)
        for k, view in enumerate(views):
            item = self.list.item(k)
            if item is None:
                item = QListWidgetItem()
                self.list.addItem(item)
            item.setText(view.name + ("" if view.in_report else "   not in the report"))
            item.setData(Qt.ItemDataRole.UserRole, view.id)
            icon = QIcon(self._thumb(view))
            icon.addPixmap(self._thumb(view), QIcon.Mode.Selected)  # not tinted
            item.setIcon(icon)
        now = next((k for k, v in enumerate(views) if v.id == s.shown.view), -1)
        self.list.setCurrentRow(now)
        self.list.blockSignals(False)
        opened = s.showing.saved_view
        self.own.setVisible(opened is not None)
        if opened is not None:
            if not self.name.hasFocus():
                self.name.setText(opened.name)
            for box, on in ((self.in_report, opened.in_report), (self.own_scale, opened.scale is not None)):
                box.blockSignals(True)
                box.setChecked(on)
                box.blockSignals(False)
        tags = s.showing.tags
        choose(self.shown, tags.shown)
        choose(self.layout_choice, tags.layout)
        for key, box in self.parts.items():
            box.blockSignals(True)
            box.setChecked(key in tags.parts)
            box.blockSignals(False)
        self.list_it.setEnabled(bool(s.selection.characteristic))
        there = s.selection.characteristic in tags.listed
        self.list_it.setText("Take out selected" if there else "Add selected")
        self.tidy.setEnabled(bool(tags.pinned or tags.hidden))

    def _thumb(self, view: SavedView) -> QPixmap:
        """Return a small picture of a view, drawn anew when the view or the results have changed."""
        key = (view, self.session.evaluation)
        kept = self._thumbs.get(view.id)
        if kept is not None and kept[0][0] == key[0] and kept[0][1] is key[1]:  # type: ignore[index]
            return kept[1]
        image = self._picture(view)
        made = QPixmap(THUMB) if image is None else QPixmap.fromImage(image)
        if image is None:
            made.fill(Qt.GlobalColor.transparent)
        self._thumbs[view.id] = (key, made)
        return made
