"""What is seen of the surface: deviations or how well the reference is held, what stands at rings, which are listed."""

from truegauge.app.stages.evaluate.surface.model import FILTERS, ORDERS, SurfaceModel
from truegauge.app.widgets.bench import button, label, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.drawing.units import NumberFormat

_MAPS = (("deviations", "deviations"), ("held", "reference uncertainty"))
_TAGS = (("number", "numbers"), ("depth", "numbers and depths"), ("kind", "numbers, kinds and depths"),
         ("area", "numbers and areas"))  # fmt: skip


class SeeingBox(Fold):
    """Opens to the choices; the filter stands with the list."""

    def __init__(self, model: SurfaceModel) -> None:
        super().__init__("What is seen")
        self._model = model
        self.map = choice(_MAPS, model.set_map, "what the map shows")
        self.held = label("", "soft", wrap=True)
        self.tags = choice(_TAGS, lambda k: model.change(tags=k), "what stands at the rings")
        for widget in (row("Map", self.map), self.held, row("Rings", self.tags)):
            self.column.addWidget(widget)
        self.to = choice((), self._add, "tell the distance to a feature")
        self.told = label("", "soft", wrap=True)
        self.no_more = button("Tell no distances", lambda: model.change(to=()))
        for widget in (self.to, self.told, self.no_more):
            self.column.addWidget(widget)
        self.order = choice(ORDERS, model.set_order, "order of the list")
        self.filter = choice(FILTERS, model.set_filter, "which are listed")

    def _add(self, feature_id: str) -> None:
        check = self._model.check
        if feature_id and check is not None:
            self._model.change(to=(*check.to, feature_id))

    def _refresh_distances(self, to: tuple[str, ...]) -> None:
        plan = self._model.session.plan
        offered = [("", "distance to a feature …"), *((f.id, f.name) for f in plan.features if f.id not in to)]
        if [(self.to.itemData(k), self.to.itemText(k)) for k in range(self.to.count())] != offered:
            self.to.clear()
            for key, words in offered:
                self.to.addItem(words, key)
        self.to.setCurrentIndex(0)
        self.to.setVisible(bool(plan.features))
        names = ", ".join(plan.feature(one).name for one in to)
        say(self.told, f"Distance of the deepest place to {names}" if to else "")
        self.no_more.setVisible(bool(to))

    def refresh(self) -> None:
        """Show what is chosen."""
        m, plan = self._model, self._model.session.plan
        if m.check is None:
            return
        choose(self.map, m.map)
        choose(self.tags, m.check.tags)
        choose(self.order, m.order)
        choose(self.filter, m.filter)
        self._refresh_distances(m.check.to)
        words = ""
        if m.map == "held":
            numbers, worst = NumberFormat(plan.unit, plan.decimals), m.weakest()
            words = "working it out …"
            if worst is not None:
                words = (f"It may be off by {numbers.value(worst)} {numbers.unit} where it is held least (k = 2); "
                         "red where that is more than a third of the depth looked for.")  # fmt: skip
            if worst is None and m.held_problem:
                words = m.held_problem
        say(self.held, words)
