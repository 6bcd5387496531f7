"""How a step touches its feature, copied for others."""

from truegauge.app.track.model import RouteModel
from truegauge.core.errors import TrueGaugeError
from truegauge.core.routes.document import MeasureStep
from truegauge.core.routes.track import likewise


class TakingOver:
    """One step whose strategy and way of coming are taken over by others."""

    def __init__(self, model: RouteModel) -> None:
        self._model = model
        self.copied: MeasureStep | None = None

    def copy(self) -> None:
        """Keep how the chosen step touches its feature."""
        chosen = [self._model.step(s) for s in self._model.chosen]
        own = next((s for s in chosen if isinstance(s, MeasureStep)), None)
        if own is not None:
            self.copied = own
            self._model.session.notify("How it is touched is copied: choose other steps, and touch them likewise")

    def paste(self) -> None:
        """Touch the features of the chosen steps likewise; one step of undo."""
        if self.copied is None:
            return
        try:
            self._model.run(likewise(self._model.route, self._model.chosen, self.copied), "touch likewise")
        except TrueGaugeError as error:
            self._model.session.notify(error)
