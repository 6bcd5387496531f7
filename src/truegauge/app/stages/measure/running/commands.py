"""The commands of runs, and of saved choices of what is run."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.question import ask_text
from truegauge.core.commands.subsets import SetSubset


def run_actions(model: RunModel, parent: QWidget, rows: Callable[[], tuple[str, ...]]) -> tuple[Action, ...]:
    """Return them; `rows` are the characteristics that are selected in the ledger."""

    def save() -> None:
        name = ask_text(parent, "Save a subset", "Name of the choice; one that has it already is replaced", "Save")
        if name:
            model.session.run(SetSubset(name, rows()))

    def remove() -> None:
        there = ", ".join(s.name for s in model.session.plan.subsets)
        name = ask_text(parent, "Remove a subset", f"Name of the choice: {there}", "Remove")
        if name and any(s.name == name for s in model.session.plan.subsets):
            model.session.run(SetSubset(name, ()))
        elif name:
            model.session.notify(f"there is no subset {name}: {there}")

    def again() -> None:
        run = model.run
        for step in model.route.chosen if run is not None else ():
            model.again(step)

    return (
        Action("run-route", "Route", "Run on the machine …", "Ctrl+G", model.open,
               lambda: model.session.model is not None),
        Action("run-pause", "Route", "Pause the run, or go on", "",
               lambda: model.go_on() if model.at == "stopped" else model.pause(), lambda: model.is_under_way),
        Action("run-again", "Route", "Do the chosen steps again in this run", "", again,
               lambda: model.run is not None and bool(model.route.chosen)),
        Action("save-subset", "Route", "Save the selected characteristics as a subset …", "", save,
               lambda: bool(rows())),
        Action("remove-subset", "Route", "Remove a subset …", "", remove, lambda: bool(model.session.plan.subsets)),
    )  # fmt: skip
