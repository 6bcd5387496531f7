"""Components of probe assemblies. Lengths in mm; each grows along -z from its base, which is its origin."""

from typing import Literal, Self

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen, Three

ComponentKind = Literal["head", "extension", "sensor", "stylus", "star center", "cube"]
QUILL = "quill"  # the joint at the machine's end
_DOWN: Three = (0.0, 0.0, -1.0)


class ComponentEnd(Frozen):
    """A joint that takes one more component: which one fits, where it is, and which way that component grows."""

    joint: str = Field(min_length=1)
    place: Three
    direction: Three = _DOWN

    @model_validator(mode="after")
    def _points_somewhere(self) -> Self:
        if not any(self.direction):
            raise ValueError("the direction of an end is zero")
        return self


class Body(Frozen):
    """A round solid of the component, for its picture and for collisions: from one place to another, mm."""

    start: Three
    end: Three
    radius: float = Field(gt=0, le=200)
    moves: bool = True  # with the pose of a head; its housing stays


class Tip(Frozen):
    """What touches: a ball, a thin disc, or a cylinder (its axis along the stylus); the place is its centre.

    A disc is a slice of a ball; `thickness` is how high the slice is, of a cylinder how long it is.
    """

    shape: Literal["ball", "disc", "cylinder"] = "ball"
    diameter: float = Field(gt=0, le=100)
    place: Three
    thickness: float = Field(default=0.0, ge=0, le=200)


class Articulation(Frozen):
    """What an indexed head can do: it tilts off its own axis about `pivot` and turns about that axis, in steps.

    At tilt 0 it points along -z. Angles in degrees, as the head is named by them.
    """

    pivot: Three
    step_deg: float = Field(default=7.5, gt=0, le=90)
    tilt_min_deg: float = 0.0
    tilt_max_deg: float = Field(default=105.0, le=180)
    turn_min_deg: float = Field(default=-180.0, ge=-360)
    turn_max_deg: float = Field(default=180.0, le=360)


class Component(Frozen):
    """One component of the catalogue.

    `base` names the joint that it is fixed by; it fits an end of the same joint. A sensor may feel only touches whose
    way is at most `feels_deg` off its own axis (0: straight at what is before it, 90: sideways, 180: pulled).
    """

    id: str = Field(min_length=1)
    name: str = Field(min_length=1)
    kind: ComponentKind
    base: str = Field(min_length=1)
    ends: tuple[ComponentEnd, ...] = ()
    bodies: tuple[Body, ...] = ()
    tips: tuple[Tip, ...] = ()
    articulation: Articulation | None = None
    feels_deg: float = Field(default=180.0, gt=0, le=180)
    note: str = ""

    @model_validator(mode="after")
    def _makes_sense(self) -> Self:
        if self.kind == "stylus" and not self.tips:
            raise ValueError(f"{self.name} is a stylus without a tip")
        if self.kind != "stylus" and self.tips:
            raise ValueError(f"{self.name} has a tip, so its kind must be stylus")
        if self.articulation is not None and self.kind != "head":
            raise ValueError(f"{self.name} tilts, so its kind must be head")
        if self.feels_deg < 180 and self.kind != "sensor":
            raise ValueError(f"{self.name} feels touches of some directions only, so its kind must be sensor")
        if self.kind != "stylus" and not self.ends:
            raise ValueError(f"{self.name} has no end to fix the next component to")
        return self


class Catalogue(Frozen):
    """Components to choose from."""

    components: tuple[Component, ...] = ()

    @model_validator(mode="after")
    def _no_doubles(self) -> Self:
        seen: set[str] = set()
        for c in self.components:
            if c.id in seen:
                raise ValueError(f"two components have the id {c.id}")
            seen.add(c.id)
        return self

    def fitting(self, joint: str) -> tuple[Component, ...]:
        """Return the components that can be fixed to a joint."""
        return tuple(c for c in self.components if c.base == joint)

    def extended(self, other: "Catalogue") -> "Catalogue":
        """Return this catalogue with the components of another; one with the same id takes the place of its own."""
        own = {c.id: c for c in self.components}
        own.update({c.id: c for c in other.components})
        return Catalogue(components=tuple(own.values()))

    def component(self, component_id: str) -> Component:
        """Return a component by its id (KeyError: there is none)."""
        for c in self.components:
            if c.id == component_id:
                return c
        raise KeyError(component_id)
