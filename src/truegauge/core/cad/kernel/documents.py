"""STEP and IGES files as bodies in place: assemblies with placements, names, colours, and the annotated document."""

import math
import re
from dataclasses import dataclass, field, replace
from typing import Any

from OCP.BRep import BRep_Builder
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESCAFControl import IGESCAFControl_Reader
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Reader
from OCP.TCollection import TCollection_ExtendedString
from OCP.TColStd import TColStd_SequenceOfAsciiString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_AttributeIterator, TDF_Label, TDF_LabelSequence
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_FACE, TopAbs_SOLID
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Compound
from OCP.TopTools import TopTools_IndexedMapOfShape
from OCP.XCAFDoc import XCAFDoc_ColorTool, XCAFDoc_ColorType, XCAFDoc_DocumentTool, XCAFDoc_ShapeTool

from truegauge.core.cad.kernel.healing import Healer
from truegauge.core.cad.model import Body
from truegauge.core.errors import GeometryError

_COLOR_TYPES = (XCAFDoc_ColorType.XCAFDoc_ColorSurf, XCAFDoc_ColorType.XCAFDoc_ColorGen)
Rgb = tuple[int, int, int]
_MOST_NOTES = 5  # of one kind


@dataclass(slots=True)
class CadDocument:
    """What a file holds, in mm: one compound of all bodies in place, and what is written about its faces.

    `shape_of(shape)` gives the shape that a face of the file became by healing; `placed` maps the definitions of
    the file (labels) to the places where they stand.
    """

    document: Any
    shape: Any
    faces: Any  # the faces of `shape`, numbered from 1
    bodies: tuple[Body, ...]
    face_body: list[int]
    face_names: dict[int, str]
    face_colors: dict[int, Rgb]
    unit: str
    notes: tuple[str, ...]
    healer: Healer
    placements: list[Any] = field(default_factory=list)

    def face_numbers(self, shape: Any) -> tuple[int, ...]:
        """Return the faces (from 0) of the part that a shape of the document consists of, in all its places."""
        found = []
        for placement in self.placements:
            explorer = TopExp_Explorer(shape.Moved(placement), TopAbs_FACE)
            while explorer.More():
                index = self.faces.FindIndex(self.healer.now(explorer.Current()))
                if index > 0 and index - 1 not in found:
                    found.append(index - 1)
                explorer.Next()
        return tuple(found)

    def without(self, left_out: dict[int, str]) -> "CadDocument":
        """Return the document without some of its faces (from 0), each with the reason."""
        faces, kept = TopTools_IndexedMapOfShape(), list[int]()
        for i in range(self.faces.Extent()):
            if i not in left_out:
                faces.Add(self.faces.FindKey(i + 1))
                kept.append(i)
        now = {old: new for new, old in enumerate(kept)}
        notes = [
            f"{self.face_names.get(i) or f'face {i + 1}'} of {self.bodies[self.face_body[i]].name} is left out: {why}"
            for i, why in left_out.items()
        ]
        if len(notes) > _MOST_NOTES:
            notes = [*notes[:_MOST_NOTES], f"{len(notes) - _MOST_NOTES} more faces are left out"]
        return replace(
            self, faces=faces, face_body=[self.face_body[i] for i in kept],
            face_names={now[i]: n for i, n in self.face_names.items() if i in now},
            face_colors={now[i]: c for i, c in self.face_colors.items() if i in now}, notes=(*self.notes, *notes),
        )  # fmt: skip


def document_of_shape(shape: Any, name: str) -> CadDocument:
    """Return a shape that was built, not read, as a document without annotations."""
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, faces)
    return CadDocument(
        None, shape, faces, (Body(name),), [0] * faces.Extent(), {}, {}, "millimetre", (), Healer(),
        [TopLoc_Location()],
    )  # fmt: skip


def read_document(path: str, kind: str) -> CadDocument:
    """Read a ``step`` or ``iges`` file; lengths come out in mm whatever its unit.

    Raises
    ------
    GeometryError
        Not such a file, or no shape in it.
    """
    document = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    Interface_Static.SetIVal_s("read.stepcaf.subshapes.name", 1)
    reader = STEPCAFControl_Reader() if kind == "step" else IGESCAFControl_Reader()
    reader.SetColorMode(True)
    reader.SetNameMode(True)
    if kind == "step":
        reader.SetGDTMode(True)
    if reader.ReadFile(path) != IFSelect_RetDone:
        advice = "export the part as STEP AP203, AP214 or AP242" if kind == "step" else "export the part again"
        raise GeometryError(f"this is not a readable {kind.upper()} file; {advice}")
    unit = _step_unit(reader) if kind == "step" else _iges_unit(reader)
    if not reader.Transfer(document):
        raise GeometryError(f"the {kind.upper()} file holds no shape; export a solid or its surfaces")
    try:
        return _collected(document, unit, together=kind == "iges")
    except GeometryError:
        others = _other_files(path)
        if not others:
            raise
        named = ", ".join(others[:4]) + (f" and {len(others) - 4} more" if len(others) > 4 else "")
        raise GeometryError(f"the file only says how others stand together; open these: {named}") from None


def _step_unit(reader: Any) -> str:
    lengths, angles, solids = (TColStd_SequenceOfAsciiString() for _ in range(3))
    reader.ChangeReader().FileUnits(lengths, angles, solids)
    return str(lengths.Value(1).ToCString()).lower() if lengths.Length() else ""


def _iges_unit(reader: Any) -> str:
    section = reader.IGESModel().GlobalSection() if hasattr(reader, "IGESModel") else None
    if section is None:
        return ""
    name = section.UnitName()
    return {"IN": "inch", "INCH": "inch", "MM": "millimetre", "CM": "centimetre", "M": "metre", "FT": "foot"}.get(
        str(name.ToCString()).strip().upper() if name is not None else "", ""
    )


def _other_files(path: str) -> list[str]:
    """Return the names of files that a STEP file refers to."""
    with open(path, encoding="latin-1") as file:
        found = re.findall(r"DOCUMENT_FILE\s*\(\s*'([^']*)'", file.read())
    return list(dict.fromkeys(name for name in found if name))


def _collected(document: Any, unit: str, *, together: bool = False) -> CadDocument:
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    leaves: list[tuple[Any, Any, str, Rgb | None, Any]] = []
    free = TDF_LabelSequence()
    shapes.GetFreeShapes(free)
    for i in range(free.Length()):
        _walk(free.Value(i + 1), TopLoc_Location(), "", None, leaves, 0)
    labels = [(label, placement) for _, label, _, _, placement in leaves]
    if together and len(leaves) > 1 and not any(TopExp_Explorer(x[0], TopAbs_SOLID).More() for x in leaves):
        leaves = [_joined(leaves)]  # faces of one body, each by itself
    builder, compound, healer = BRep_Builder(), TopoDS_Compound(), Healer()
    builder.MakeCompound(compound)
    bodies, counts, placements = list[Body](), list[Any](), list[Any]()
    for shape, label, name, color, placement in leaves:
        whole = healer.healed(shape)
        count = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(whole, TopAbs_FACE, count)
        if count.Extent() == 0:
            continue
        builder.Add(compound, whole)
        bodies.append(Body(name or f"body {len(bodies) + 1}", color or _color(label)))
        counts.append(whole)
        if not any(placement.IsEqual(p) for p in placements):
            placements.append(placement)
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(compound, TopAbs_FACE, faces)
    if faces.Extent() == 0:
        raise GeometryError("the file holds no faces; export a solid or its surfaces, not wires or points")
    face_body = [0] * faces.Extent()
    for k, whole in enumerate(counts):
        explorer = TopExp_Explorer(whole, TopAbs_FACE)
        while explorer.More():
            face_body[faces.FindIndex(explorer.Current()) - 1] = k
            explorer.Next()
    out = CadDocument(
        document, compound, faces, tuple(bodies), face_body, {}, {}, unit, tuple(healer.notes), healer, placements
    )
    for label, placement in labels:
        _named_faces(label, placement, out)
    return out


def _joined(leaves: list[tuple[Any, Any, str, Rgb | None, Any]]) -> tuple[Any, Any, str, Rgb | None, Any]:
    """Return all bodies as one: what a file of single surfaces means."""
    whole, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    for shape, *_ in leaves:
        builder.Add(whole, shape)
    _, label, name, color, placement = leaves[0]
    return whole, label, name, color, placement


def _walk(label: Any, placement: Any, path: str, color: Rgb | None, leaves: list[Any], depth: int) -> None:
    """Collect the bodies below a label with where they stand; instances carry the name that the assembly gives."""
    if depth > 60:
        raise GeometryError("the assembly is nested more than 60 levels deep; it refers to itself")
    if XCAFDoc_ShapeTool.IsReference_s(label):
        there = TDF_Label()
        XCAFDoc_ShapeTool.GetReferredShape_s(label, there)
        here = placement.Multiplied(XCAFDoc_ShapeTool.GetLocation_s(label))
        given = _name(label)
        # Where the assembly gives an instance no name of its own, the kernel writes the place of the definition.
        own = given not in ("", "SHELL", "SOLID", "COMPOUND") and not given.startswith("=>")
        _walk_into(there, here, path, given if own else _name(there), _color(label) or color, leaves, depth)
    else:
        _walk_into(label, placement, path, _name(label), color, leaves, depth)


def _walk_into(
    label: Any, placement: Any, path: str, name: str, color: Rgb | None, leaves: list[Any], depth: int
) -> None:
    full = f"{path} / {name}" if path and name else path or name
    if XCAFDoc_ShapeTool.IsAssembly_s(label):
        parts = TDF_LabelSequence()
        XCAFDoc_ShapeTool.GetComponents_s(label, parts)
        for i in range(parts.Length()):
            _walk(parts.Value(i + 1), placement, full, _color(label) or color, leaves, depth + 1)
    elif XCAFDoc_ShapeTool.IsShape_s(label):
        leaves.append((XCAFDoc_ShapeTool.GetShape_s(label).Moved(placement), label, full, color, placement))


def _named_faces(label: Any, placement: Any, out: CadDocument) -> None:
    parts = TDF_LabelSequence()
    XCAFDoc_ShapeTool.GetSubShapes_s(label, parts)
    for i in range(parts.Length()):
        part = parts.Value(i + 1)
        shape = XCAFDoc_ShapeTool.GetShape_s(part)
        name, color = _name(part), _color(part)
        if not name and color is None:
            continue
        explorer = TopExp_Explorer(shape.Moved(placement), TopAbs_FACE)
        while explorer.More():
            index = out.faces.FindIndex(out.healer.now(explorer.Current())) - 1
            if index >= 0:
                if name and shape.ShapeType() == TopAbs_FACE:
                    out.face_names[index] = name
                if color is not None:
                    out.face_colors.setdefault(index, color)
            explorer.Next()


def attribute_of(label: Any, kind: Any) -> Any:
    """Return the attribute of a kind that a label carries, or None (FindAttribute leaves what it is given empty)."""
    iterator = TDF_AttributeIterator(label)
    while iterator.More():
        found = iterator.Value()
        if isinstance(found, kind):
            return found
        iterator.Next()
    return None


def _name(label: Any) -> str:
    found = attribute_of(label, TDataStd_Name)
    return "" if found is None else str(found.Get().ToExtString()).strip()


def _color(label: Any) -> Rgb | None:
    color = Quantity_Color()
    for kind in _COLOR_TYPES:
        if XCAFDoc_ColorTool.GetColor_s(label, kind, color):
            rgb = color.Values(Quantity_TypeOfColor.Quantity_TOC_sRGB)
            if all(math.isfinite(c) for c in rgb):
                r, g, b = (round(255 * min(1.0, max(0.0, c))) for c in rgb)
                return r, g, b
    return None
