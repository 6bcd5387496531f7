"""Healing of what exports leave slightly open or turned: gaps closed, faces turned out of the material, all noted."""

from typing import Any

from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeSolid, BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.GProp import GProp_GProps
from OCP.ShapeFix import ShapeFix_Shape
from OCP.TopAbs import TopAbs_FACE, TopAbs_SHELL, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound

# Gaps up to this (mm) are closed: exports from other tolerances leave them; wider ones are holes in the surface.
GAP = 0.01
_MANY_WIRES = 300


class Healer:
    """Heals bodies one by one and remembers which face became which."""

    def __init__(self) -> None:
        self._said: dict[str, int] = {}
        self._open: list[tuple[int, int]] = []  # faces and free edges of bodies that are not closed
        self._became: list[Any] = []  # functions from a face to the face that replaced it

    @property
    def notes(self) -> list[str]:
        """What was done, alike things together."""
        found = [text if count == 1 else f"{text} ({count} times)" for text, count in self._said.items()]
        faces, free = sum(n for n, _ in self._open), sum(n for _, n in self._open)
        if self._open:
            those = "a single face does" if faces == 1 else f"{faces} faces do"
            if len(self._open) > 1:
                those = f"{len(self._open)} bodies of together {faces} faces do"
            found.append(f"{those} not close a solid ({free} free edges): the material side is taken from the file")
        return found

    def now(self, face: Any) -> Any:
        """Return what a face of the file is after healing."""
        for replaced in self._became:
            face = replaced(face)
        return face

    def healed(self, shape: Any) -> Any:
        """Return a body with its faces sewn together, closed where it nearly is, and facing outwards."""
        if not _perforated(shape) and not BRepCheck_Analyzer(shape).IsValid():
            fixer = ShapeFix_Shape(shape)
            fixer.Perform()
            context = fixer.Context()
            self._became.append(lambda face: context.Apply(face))
            shape = fixer.Shape()
            self._note("a body with invalid faces was repaired")
        if TopExp_Explorer(shape, TopAbs_SOLID).More():
            return self._turned(shape)
        return self._sewn(shape)

    def _turned(self, shape: Any) -> Any:
        """Turn solids whose faces look into the material."""
        properties = GProp_GProps()
        BRepGProp.VolumeProperties_s(shape, properties)
        if properties.Mass() >= 0:
            return shape
        self._note("a solid that was inside out was turned")
        return shape.Reversed()

    def _sewn(self, shape: Any) -> Any:
        sewing = BRepBuilderAPI_Sewing(GAP)
        explorer = TopExp_Explorer(shape, TopAbs_FACE)
        count = 0
        while explorer.More():
            sewing.Add(explorer.Current())
            count += 1
            explorer.Next()
        if count == 0:
            return shape
        sewing.Perform()

        def replaced(face: Any) -> Any:
            return sewing.Modified(face) if sewing.IsModified(face) else face

        self._became.append(replaced)
        builder, whole = BRep_Builder(), TopoDS_Compound()
        builder.MakeCompound(whole)
        shells = TopExp_Explorer(sewing.SewedShape(), TopAbs_SHELL)
        any_shell = False
        while shells.More():
            any_shell = True
            shell = TopoDS.Shell_s(shells.Current())
            closed = shell.Closed() or _is_closed(shell)
            if closed:
                solid = BRepBuilderAPI_MakeSolid(shell).Solid()
                BRepLib.OrientClosedSolid_s(solid)
                builder.Add(whole, solid)
            else:
                builder.Add(whole, shell)
            shells.Next()
        if any_shell:  # faces that were not sewn to any other
            loose = TopExp_Explorer(sewing.SewedShape(), TopAbs_FACE, TopAbs_SHELL)
            while loose.More():
                builder.Add(whole, loose.Current())
                loose.Next()
        else:
            whole = sewing.SewedShape()
        free = sewing.NbFreeEdges()
        if free:
            self._open.append((count, free))
        elif count > 1:
            self._note(f"{count} separate faces were sewn into a closed solid (gaps up to {GAP:g} mm)")
        return whole

    def _note(self, text: str) -> None:
        self._said[text] = self._said.get(text, 0) + 1


def _is_closed(shell: Any) -> bool:
    from OCP.BRep import BRep_Tool

    return bool(BRep_Tool.IsClosed_s(shell))


def _perforated(shape: Any) -> bool:
    """Tell whether a face has so many holes that checking them against each other takes minutes.

    What is wrong with such a face shows when it is meshed and checked against its mesh.
    """
    faces = TopExp_Explorer(shape, TopAbs_FACE)
    while faces.More():
        if faces.Current().NbChildren() > _MANY_WIRES:
            return True
        faces.Next()
    return False
