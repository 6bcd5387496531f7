"""The commands of the route."""

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from truegauge.app.track.model import RouteModel
from truegauge.app.track.taking_over import TakingOver
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.question import ask_text


def route_actions(model: RouteModel, parent: QWidget, show: Callable[[], None]) -> tuple[Action, ...]:
    """Return them; `show` opens the stage in which the route is seen."""
    taking = TakingOver(model)

    def make() -> None:
        show()
        model.make()

    def rehearse() -> None:
        show()
        model.play()

    def chosen() -> bool:
        return bool(model.chosen) and model.is_there

    def group() -> None:
        name = ask_text(parent, "Group the chosen steps", "Name of the group; none takes them out of theirs", "Group")
        if name is not None:
            model.group(name)

    def note() -> None:
        text = ask_text(parent, "Note to the operator", "What has to be done before the route goes on", "Add")
        if text:
            model.add_note(text)

    def temperature() -> None:
        text = ask_text(parent, "Read the temperature of the part",
                        "Between which temperatures it may be measured, °C: 19 21; none for any", "Add")  # fmt: skip
        if text is not None:
            model.add_temperature(text)

    return (
        Action("make-route", "Route", "Make the route", "Ctrl+Shift+R", make, lambda: not model.why_not()),
        Action("rehearse", "Route", "Rehearse the route, or pause", "Ctrl+R", rehearse, lambda: model.is_there),
        Action("end-rehearsal", "Route", "Show the part instead of the rehearsal", "",
               lambda: model.set_rehearsing(False), lambda: model.rehearsing),
        Action("step-off", "Route", "Switch the chosen steps off or on", "", model.switch, chosen),
        Action("step-pin", "Route", "Pin the chosen steps, or not", "", model.pin, chosen),
        Action("step-remove", "Route", "Remove the chosen steps from the route", "", model.remove, chosen),
        Action("step-group", "Route", "Group the chosen steps", "", group, chosen),
        Action("step-copy", "Route", "Copy how the chosen step is touched", "", taking.copy, chosen),
        Action("step-likewise", "Route", "Touch the chosen steps likewise", "", taking.paste,
               lambda: chosen() and taking.copied is not None),
        Action("step-note", "Route", "Add a note to the operator", "", note, lambda: model.is_there),
        Action("step-temperature", "Route", "Add a reading of the temperature …", "", temperature,
               lambda: model.is_there),
    )  # fmt: skip
