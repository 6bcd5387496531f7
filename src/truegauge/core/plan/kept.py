"""Statements of a program that was brought in and that say what a plan does not: they go along with it."""

from pydantic import Field

from truegauge.core.frozen_model import Frozen


class KeptStatement(Frozen):
    """A statement as it was written, what it came after ("F(base)", "M(bore)", ...; empty: the beginning), its units.

    Units are those of its numbers as the program states them; empty: "MM,ANGDEC".
    """

    after: str = Field(default="", max_length=200)
    text: str = Field(min_length=1, max_length=10_000)
    units: str = Field(default="", max_length=40)
