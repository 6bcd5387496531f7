"""Requirements of a plan, as a drawing states them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from truegauge.api.plan_features import Feature, Place, PlanFeatures
from truegauge.api.words import some
from truegauge.core.authoring.frame_text import frame_problems, parse_datum, parse_modifiers
from truegauge.core.authoring.new_features import new_id
from truegauge.core.authoring.offers import usual_zone
from truegauge.core.authoring.readings import SpotWish, add_spots
from truegauge.core.characteristics.registry import KINDS, kind_named
from truegauge.core.commands.requirements import AddCharacteristic, EditCharacteristic, RemoveCharacteristic, SetDatum
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.nominal import in_report_frame, known_nominals
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.fits import fit_limits
from truegauge.core.tolerancing.zone import PLAIN, Zone

if TYPE_CHECKING:
    from truegauge.core.cad.recognition import Nominal

_SYSTEM_MARK = "|"


class PlanRequirements(PlanFeatures):
    """Its datums and characteristics."""

    def datum(self, letter: str, feature: Feature | str, *others: Feature | str) -> str:
        """Put a datum letter on a feature, or on several at once (a pattern, two opposite planes).

        Raises
        ------
        ValueError
            No letter.
        """
        first, *rest = (self._feature(f) for f in (feature, *others))
        self.run(SetDatum(letter, first.id, others=tuple(f.id for f in rest)))
        return letter

    def tolerance(
        self, kind: str, features: Feature | str | Sequence[Feature | str], value: float, *, modifiers: str = "",
        datums: str = "", zone: Zone | None = None, name: str = "", simultaneous: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require a form, orientation, location, profile or run-out, as a drawing states it in a frame.

        Parameters
        ----------
        kind : str
            flatness, position, profile_surface, circular_runout ... (docs/tolerancing.md).
        features : Feature, or several
            One feature, or a pattern that is one requirement.
        value : float
            The tolerance, mm.
        modifiers : str
            As they are typed into a frame: "M", "M R P30", "UZ+0.05".
        datums : str
            The datum system: "A|B(M)|C".
        zone : Zone, optional
            Its shape; else as usual: a cylinder for an axis.

        Raises
        ------
        TrueGaugeError
            What makes no sense, in words.
        """
        used = self._several(features)
        known = kind_named(kind)
        if kind not in KINDS or not known.framed or known.reading:
            raise TrueGaugeError(f"{kind!r} is no tolerance: {some(k.name for k in KINDS.values() if k.framed)}")
        references = self._system(datums)
        nominals = self._nominals(used)
        own = zone or (usual_zone(self.context, kind, nominals, references) if known.geometric else PLAIN)
        try:
            letters, shaped = parse_modifiers(modifiers, own)
        except ValueError as error:
            raise TrueGaugeError(str(error)) from error
        if not known.is_profile and not known.fits(nominals) and not known.takes_datums:
            raise TrueGaugeError(f"{known.label} does not suit {_names(used)}")
        return self._add(Characteristic(
            id=new_id(), number=self.document.next_number, name=name or f"{_names(used)} {known.label}", kind=kind,
            features=tuple(f.id for f in used), nominal=0.0, upper=float(value), datums=references, modifiers=letters,
            zone=shaped, simultaneous=simultaneous,
        ), nominals)  # fmt: skip

    def dimension(
        self, kind: str, *features: Feature | str, nominal: float | None = None, lower: float | None = None,
        upper: float | None = None, plus_minus: float | None = None, fit: str = "", basic: bool = False,
        modifiers: str = "", datums: str = "", name: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require a size, distance, angle or coordinate.

        Parameters
        ----------
        kind : str
            diameter, width, distance, angle, coordinate_x ... (docs/tolerancing.md).
        nominal : float, optional
            That of the drawing, mm or rad; else that of the part.
        lower, upper : float, optional
            Deviations from the nominal; or `plus_minus`, or a `fit` such as H7. Without any the general tolerances
            of the plan hold.
        basic : bool
            Theoretically exact: shown and not judged.

        Raises
        ------
        TrueGaugeError
            What makes no sense, in words.
        """
        used = tuple(self._feature(f) for f in features)
        known = kind_named(kind)
        if kind not in KINDS or known.framed or known.reading:
            dimensions = (k.name for k in KINDS.values() if not k.framed and not k.reading)
            raise TrueGaugeError(f"{kind!r} is no dimension: {some(dimensions)}")
        nominals = self._nominals(used)
        seen = in_report_frame(self.context, nominals) if known.placed else nominals
        if len(nominals) < len(used) or not known.fits(seen):
            raise TrueGaugeError(f"{known.label} does not suit {_names(used)}")
        stated = known.nominal(seen) if nominal is None else float(nominal)
        if plus_minus is not None:
            lower, upper = -abs(plus_minus), abs(plus_minus)
        if fit:
            lower, upper = fit_limits(stated, fit)
        try:
            letters, zone = parse_modifiers(modifiers, PLAIN)
        except ValueError as error:
            raise TrueGaugeError(str(error)) from error
        return self._add(Characteristic(
            id=new_id(), number=self.document.next_number, name=name or f"{_names(used)} {known.label}", kind=kind,
            features=tuple(f.id for f in used), nominal=stated, lower=lower, upper=upper, fit=fit, basic=basic,
            modifiers=letters, zone=zone, datums=self._system(datums),
        ), nominals)  # fmt: skip

    def spot(
        self, place: Place, lower: float | None = -0.1, upper: float | None = 0.1, *, radius: float = 1.0,
        name: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require the deviation at a place of the surface, read from the points within `radius` mm.

        Raises
        ------
        GeometryError
            The place lies far off the part.
        """
        x, y, z = (float(v) for v in place)
        wish = SpotWish((x, y, z), name, lower=lower, upper=upper, radius=radius)
        command = add_spots(self.document, self.model, self.evaluator.projector, [wish])
        self.run(command)
        return command.characteristics[0]

    @property
    def characteristics(self) -> tuple[Characteristic, ...]:
        """The requirements, in their order."""
        return self.document.characteristics

    def characteristic(self, key: str | int) -> Characteristic:
        """Return a requirement by its number, its name or its id.

        Raises
        ------
        TrueGaugeError
            The plan has none.
        """
        for c in self.document.characteristics:
            if str(key) in (str(c.number), c.name, c.id):
                return c
        raise TrueGaugeError(f"the plan has no characteristic {key!r}")

    def edit(self, key: str | int, **changes: Any) -> Characteristic:
        """Change fields of a requirement (`truegauge.core.plan.requirements.Characteristic`).

        Raises
        ------
        ValueError
            What cannot be.
        """
        c = self.characteristic(key)
        self.run(EditCharacteristic(c.id, tuple(changes.items())))
        return self.characteristic(c.id)

    def remove(self, key: str | int) -> None:
        """Take a requirement away."""
        self.run(RemoveCharacteristic(self.characteristic(key).id))

    def _add(self, c: Characteristic, nominals: tuple[Nominal, ...]) -> Characteristic:
        problems = frame_problems(self.document, c, nominals)
        if problems:
            raise TrueGaugeError(problems[0])
        self.run(AddCharacteristic(c))
        return c

    def _several(self, features: Feature | str | Sequence[Feature | str]) -> tuple[Feature, ...]:
        if isinstance(features, Feature | str):
            return (self._feature(features),)
        found = tuple(self._feature(f) for f in features)
        if not found:
            raise TrueGaugeError("a tolerance needs a feature")
        return found

    def _nominals(self, features: Sequence[Feature]) -> tuple[Nominal, ...]:
        return known_nominals(self.context, tuple(self.document.feature(f.id).group for f in features))

    def _system(self, text: str) -> tuple[DatumReference, ...]:
        try:
            cells = [parse_datum(cell) for cell in text.split(_SYSTEM_MARK)] if text.strip() else []
        except ValueError as error:
            raise TrueGaugeError(str(error)) from error
        found = tuple(c for c in cells if c is not None)
        for letter in (x for d in found for x in d.letters):
            if not self.document.has_datum(letter):
                raise TrueGaugeError(f"datum {letter} is on no feature of the plan: plan.datum({letter!r}, feature)")
        return found


def _names(features: Sequence[Feature]) -> str:
    first = features[0].name if features else "nothing"
    if len(features) == 2:
        return f"{first} to {features[1].name}"
    return first if len(features) < 2 else f"{first} and {len(features) - 1} more"
