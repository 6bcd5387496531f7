"""The Probe page: an assembly grows component by component; its joints offer only what fits."""

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QSpacerItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.app.widgets.text_size import keep_sheet
from truegauge.core.arrays import Vector
from truegauge.core.probing.assembly import ProbeAssembly
from truegauge.core.probing.probing import StylusUse

_DATA = Qt.ItemDataRole.UserRole


def _pointing(direction: Vector) -> str:
    """Say where something points with the head straight, by the axes of the machine."""
    names = ("+X", "+Y", "up", "-X", "-Y", "down")
    k = int(np.argmax(np.concatenate([direction, -direction])))
    share = abs(float(direction[k % 3]))
    return names[k] if share > 0.98 else f"obliquely {names[k]}"


class ProbePage(QWidget):
    """The tree of components, and what fits the chosen end."""

    def __init__(self, model: DevicesModel, ask_catalogue: Callable[[], object]) -> None:
        super().__init__()
        self._model = model
        self._column = column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.assemblies = choice([], model.choose_assembly, "probe assembly")
        self.new = button("New", model.add_assembly)
        self.copy = button("Copy", model.copy_assembly)
        self.remove = button("Remove", model.remove_assembly)
        column.addWidget(self.assemblies)
        column.addWidget(row(self.new, self.copy, self.remove))
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the probe assembly")
        self.name.setProperty("role", "name")
        self.name.editingFinished.connect(lambda: model.rename_assembly(self.name.text()))
        column.addWidget(self.name)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setIndentation(11)
        self.tree.setAccessibleName("components of the probe")
        keep_sheet(self.tree, "QTreeWidget { background: transparent; border: none; font-size: 12px; outline: none; }")
        self.tree.itemClicked.connect(self._on_item)
        self.tree.currentItemChanged.connect(lambda item, _: self._on_item(item))
        column.addWidget(self.tree, 3)
        self.take_off = button("Take off the chosen component", lambda: model.remove_component(model.chosen_part))
        self.master = button("Make its stylus the master", self._on_master)
        column.addWidget(self.take_off)
        column.addWidget(self.master)
        self.fits = label("", "heading", wrap=True)
        self.search = QLineEdit()
        self.search.setPlaceholderText("find a component")
        self.search.setAccessibleName("find a component")
        self.search.textChanged.connect(lambda _: self._show_fitting())
        self.list = QListWidget()
        self.list.setAccessibleName("components that fit")
        keep_sheet(self.list, "font-size: 12px;")
        self.list.itemActivated.connect(self._on_add)
        self.list.itemDoubleClicked.connect(lambda _: None)
        self.add = button("Add it", self._on_add, main=True)
        for widget in (self.fits, self.search):
            column.addWidget(widget)
        column.addWidget(self.list, 3)
        column.addWidget(self.add)
        self.more = button("Components from a file …", ask_catalogue)
        column.addWidget(self.more)
        self._end = QSpacerItem(0, 0)
        column.addItem(self._end)
        self._filling = False

    def _on_item(self, item: QTreeWidgetItem | None) -> None:
        if self._filling or item is None:
            return
        kind, part, end = item.data(0, _DATA)
        if kind == "end":
            self._model.choose_end(part, end)
        else:
            self._model.choose_part(part)

    def _on_add(self, _: object = None) -> None:
        item = self.list.currentItem() or self.list.item(0)
        if item is not None:
            component = next(c for c in self._model.catalogue.components if c.id == item.data(_DATA))
            self._model.add_component(component)

    def _on_master(self) -> None:
        use = self._stylus()
        if use is not None:
            self._model.set_master(use)

    def _stylus(self) -> StylusUse | None:
        """Return the stylus of the chosen component in the first pose."""
        own = self._model.assembly
        if own is None:
            return None
        for s in own.styli():
            if s.id.partition(".")[0] == self._model.chosen_part:
                return StylusUse(assembly=own.id, stylus=s.id, pose=own.poses[0])
        return None

    def refresh(self) -> None:
        """Show the assembly."""
        m = self._model
        names = [(a.id, a.name) for a in m.probing.assemblies]
        if [
            (self.assemblies.itemData(i), self.assemblies.itemText(i)) for i in range(self.assemblies.count())
        ] != names:
            self.assemblies.clear()
            for key, words in names:
                self.assemblies.addItem(words, key)
        choose(self.assemblies, m.chosen_assembly)
        own = m.assembly
        self.assemblies.setVisible(len(names) > 1)
        self.new.setText("New" if names else "New probe assembly")
        self.new.setProperty("main", not names)
        for widget in (self.copy, self.remove, self.name, self.tree, self.take_off, self.fits, self.search, self.list,
                       self.add):  # fmt: skip
            widget.setVisible(own is not None)
        self.master.setVisible(own is not None)
        # Without lists that take the free height an empty end does.
        policy = QSizePolicy.Policy.Expanding if own is None else QSizePolicy.Policy.Minimum
        self._end.changeSize(0, 0, QSizePolicy.Policy.Minimum, policy)
        self._column.invalidate()
        if own is None:
            return
        if not self.name.hasFocus():
            self.name.setText(own.name)
        self._fill_tree(own)
        self.take_off.setEnabled(bool(m.chosen_part))
        stylus = self._stylus()
        self.master.setVisible(stylus is not None and stylus != m.probing.master_or_first())
        self._show_fitting()

    def _fill_tree(self, own: ProbeAssembly) -> None:
        self._filling = True
        self.tree.clear()
        items: dict[str, QTreeWidgetItem] = {}
        master = self._model.probing.master_or_first()
        for p in own.parts:
            words = f"{p.name}: {p.component.name}" if p.name else p.component.name
            if master is not None and master.assembly == own.id and master.stylus.partition(".")[0] == p.id:
                words += " (master)"
            item = QTreeWidgetItem([words])
            item.setData(0, _DATA, ("part", p.id, 0))
            item.setToolTip(0, words)
            items[p.id] = item
            if p.on:
                items[p.on].addChild(item)
            else:
                self.tree.addTopLevelItem(item)
        for on, end, joint in own.free_ends():
            count = len(own.part(on).component.ends) if on else 1
            where = f", {_pointing(own.end_direction(on, end))}" if count > 1 else ""
            item = QTreeWidgetItem([f"+ free: {joint}{where}"])
            item.setToolTip(0, f"{joint}{where}" + (f" (end {end + 1} of {count})" if count > 1 else ""))
            item.setData(0, _DATA, ("end", on, end))
            item.setForeground(0, self.palette().placeholderText())
            if on:
                items[on].addChild(item)
            else:
                self.tree.addTopLevelItem(item)
            if (on, end) == self._model.chosen_end:
                self.tree.setCurrentItem(item)
        self.tree.expandAll()
        self._filling = False

    def _show_fitting(self) -> None:
        m = self._model
        own = m.assembly
        joint = ""
        if own is not None and m.chosen_end is not None:
            joint = next((j for on, end, j in own.free_ends() if (on, end) == m.chosen_end), "")
        found = m.fitting(self.search.text())
        self.fits.setText(f"Fits the joint “{joint}”" if joint else "No end is free")
        for widget in (self.search, self.list, self.add):
            widget.setVisible(bool(joint))
        self.add.setEnabled(bool(found))
        now = [c.id for c in found]
        if [self.list.item(k).data(_DATA) for k in range(self.list.count())] != now:
            self.list.clear()
            for c in found:
                item = QListWidgetItem(c.name)
                item.setData(_DATA, c.id)
                item.setToolTip(c.note or c.name)
                self.list.addItem(item)
            if found:
                self.list.setCurrentRow(0)
