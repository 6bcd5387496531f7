"""The commands of the route."""

from collections.abc import Callable

from PySide6.QtWidgets import QInputDialog, QWidget

from truegauge.app.track.model import RouteModel
from truegauge.app.widgets.action import Action


def route_actions(model: RouteModel, parent: QWidget, show: Callable[[], None]) -> tuple[Action, ...]:
    """Return them; `show` opens the stage in which the route is seen."""

    def make() -> None:
        show()
        model.make()

    def rehearse() -> None:
        show()
        model.play()

    def chosen() -> bool:
        return bool(model.chosen) and model.is_there

    def text(title: str, words: str, then: Callable[[str], None]) -> None:
        said, good = QInputDialog.getText(parent, title, words)
        if good:
            then(said.strip())

    return (
        Action("make-route", "Route", "Make the route", "Ctrl+Shift+R", make, lambda: not model.why_not()),
        Action("rehearse", "Route", "Rehearse the route, or pause", "Ctrl+R", rehearse, lambda: model.is_there),
        Action("end-rehearsal", "Route", "Show the part instead of the rehearsal", "",
               lambda: model.set_rehearsing(False), lambda: model.rehearsing),
        Action("step-off", "Route", "Switch the chosen steps off or on", "", model.switch, chosen),
        Action("step-pin", "Route", "Pin the chosen steps, or not", "", model.pin, chosen),
        Action("step-remove", "Route", "Remove the chosen steps from the route", "", model.remove, chosen),
        Action("step-group", "Route", "Group the chosen steps", "",
               lambda: text("Group", "Name of the group", model.group), chosen),
        Action("step-note", "Route", "Add a note to the operator", "",
               lambda: text("Note", "What the operator has to do", lambda t: model.add_note(t) if t else None),
               lambda: model.is_there),
    )  # fmt: skip
