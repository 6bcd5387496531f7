"""The drawing of LW-1140 as annotations in its STEP file (AP242), written with the CAD kernel."""

from pathlib import Path
from typing import Any

import OCP.XCAFDimTolObjects as Tol
from OCP.IFSelect import IFSelect_RetDone
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TCollection import TCollection_ExtendedString, TCollection_HAsciiString
from OCP.TColStd import TColStd_HArray1OfReal
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_LabelSequence
from OCP.TDocStd import TDocStd_Document
from OCP.XCAFDoc import (
    XCAFDoc_ColorType,
    XCAFDoc_Datum,
    XCAFDoc_Dimension,
    XCAFDoc_DocumentTool,
    XCAFDoc_GeomTolerance,
)

from truegauge.core.cad.kernel.documents import document_of_shape
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import whole_surface
from truegauge.demo.faces import housing_faces

_SIZE = Tol.XCAFDimTolObjects_DimensionType.XCAFDimTolObjects_DimensionType_Size_Diameter
_BALL = Tol.XCAFDimTolObjects_DimensionType.XCAFDimTolObjects_DimensionType_Size_SphericalDiameter
_DISTANCE = Tol.XCAFDimTolObjects_DimensionType.XCAFDimTolObjects_DimensionType_Location_LinearDistance
_T = Tol.XCAFDimTolObjects_GeomToleranceType
_BLUISH = (0.60, 0.68, 0.74)  # finished bores

# name, type, features on the two sides, value, lower and upper deviation
DIMENSIONS = (
    ("main bore", _SIZE, ("main-bore",), (), 42.0, 0.0, 0.025),
    ("cross bore", _SIZE, ("cross-bore",), (), 24.0, -0.020, 0.020),
    ("top height", _DISTANCE, ("top",), ("base",), 60.0, -0.030, 0.030),
    ("boss", _SIZE, ("boss",), (), 30.0, -0.020, 0.0),
    ("ball socket", _BALL, ("socket",), (), 24.0, -0.020, 0.020),
    ("slot width", _DISTANCE, ("slot-left",), ("slot-right",), 12.0, 0.0, 0.050),
    ("mounting hole", _SIZE, ("mount-1",), (), 6.6, -0.050, 0.050),
)
DATUMS = {"A": "base", "B": "side-b", "C": "side-c"}
# name, type, feature, value, datum letters, cylindrical zone, at maximum material
TOLERANCES = (
    ("base flatness", _T.XCAFDimTolObjects_GeomToleranceType_Flatness, ("base",), 0.060, "", False, False),
    ("side B to base", _T.XCAFDimTolObjects_GeomToleranceType_Perpendicularity, ("side-b",), 0.050, "A", False, False),
    ("side C to base", _T.XCAFDimTolObjects_GeomToleranceType_Perpendicularity, ("side-c",), 0.050, "A", False, False),
    ("main bore form", _T.XCAFDimTolObjects_GeomToleranceType_Cylindricity, ("main-bore",), 0.025, "", False, False),
    ("main bore to base", _T.XCAFDimTolObjects_GeomToleranceType_Perpendicularity, ("main-bore",), 0.030, "A", True,
     False),
    ("cross bore to base", _T.XCAFDimTolObjects_GeomToleranceType_Parallelism, ("cross-bore",), 0.040, "A", False,
     False),
    ("top to base", _T.XCAFDimTolObjects_GeomToleranceType_Parallelism, ("top",), 0.050, "A", False, False),
    ("bolt holes", _T.XCAFDimTolObjects_GeomToleranceType_Position, tuple(f"bolt-{k}" for k in range(1, 7)), 0.20,
     "ABC", True, True),
    ("shroud", _T.XCAFDimTolObjects_GeomToleranceType_ProfileOfSurface, ("shroud",), 0.300, "ABC", False, False),
)  # fmt: skip


def write_plain_step(shape: Any, path: Path, name: str) -> None:
    """Write a part without annotations as STEP AP242 in mm.

    Raises
    ------
    OSError
        The file cannot be written.
    """
    file = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    label = XCAFDoc_DocumentTool.ShapeTool_s(file.Main()).AddShape(shape, False)
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
    _write(file, path, name)


def write_annotated_step(shape: Any, path: Path, name: str) -> None:
    """Write the housing with its datums, dimensions and tolerances as STEP AP242 in mm.

    Raises
    ------
    OSError
        The file cannot be written.
    """
    document = document_of_shape(shape, name)
    model = model_from_document(document, "", name)
    file = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    label = XCAFDoc_DocumentTool.ShapeTool_s(file.Main()).AddShape(shape, False)
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
    writer_of = _Annotator(file, label, document, model)
    for letter, feature in DATUMS.items():
        writer_of.datum(letter, feature)
    for row in DIMENSIONS:
        writer_of.dimension(*row)
    for tolerance in TOLERANCES:
        writer_of.tolerance(*tolerance)
    bluish = Quantity_Color(*_BLUISH, Quantity_TypeOfColor.Quantity_TOC_sRGB)
    colors = XCAFDoc_DocumentTool.ColorTool_s(file.Main())
    for face_label in writer_of.labels_of(("main-bore", "cross-bore")):
        colors.SetColor(face_label, bluish, XCAFDoc_ColorType.XCAFDoc_ColorSurf)
    _write(file, path, name)


class _Annotator:
    def __init__(self, file: Any, label: Any, document: Any, model: CadModel) -> None:
        self._shapes = XCAFDoc_DocumentTool.ShapeTool_s(file.Main())
        self._tool = XCAFDoc_DocumentTool.DimTolTool_s(file.Main())
        self._label, self._document, self._model = label, document, model
        self._faces = housing_faces(model)
        self._datums: dict[str, Any] = {}

    def labels_of(self, features: tuple[str, ...]) -> list[Any]:
        found = []
        for feature in features:
            for face in whole_surface(self._model, self._faces[feature]):
                shape = self._document.faces.FindKey(face + 1)
                label = self._shapes.AddSubShape(self._label, shape)
                found.append(label)
        return found

    def _sequence(self, features: tuple[str, ...]) -> Any:
        # Labels go through a sequence object: a single label given directly crashes the writer.
        sequence = TDF_LabelSequence()
        for label in self.labels_of(features):
            sequence.Append(label)
        return sequence

    def datum(self, letter: str, feature: str) -> None:
        label = self._tool.AddDatum()
        attribute = XCAFDoc_Datum.Set_s(label)
        made = Tol.XCAFDimTolObjects_DatumObject()
        made.SetName(TCollection_HAsciiString(letter))
        made.SetPosition(1)
        attribute.SetObject(made)
        self._tool.SetDatum(self._sequence((feature,)), label)

    def dimension(
        self, name: str, kind: Any, first: tuple[str, ...], second: tuple[str, ...], value: float, lower: float,
        upper: float,
    ) -> None:  # fmt: skip
        label = self._tool.AddDimension()
        attribute = XCAFDoc_Dimension.Set_s(label)
        made = Tol.XCAFDimTolObjects_DimensionObject()
        made.SetSemanticName(TCollection_HAsciiString(name))
        made.SetType(kind)
        values = TColStd_HArray1OfReal(1, 3)
        for i, number in enumerate((value, -lower, upper)):
            values.SetValue(i + 1, number)
        made.SetValues(values)
        attribute.SetObject(made)
        self._tool.SetDimension(self._sequence(first), self._sequence(second), label)

    def tolerance(
        self, name: str, kind: Any, features: tuple[str, ...], value: float, letters: str, cylindrical: bool,
        at_maximum_material: bool,
    ) -> None:  # fmt: skip
        label = self._tool.AddGeomTolerance()
        attribute = XCAFDoc_GeomTolerance.Set_s(label)
        made = Tol.XCAFDimTolObjects_GeomToleranceObject()
        made.SetSemanticName(TCollection_HAsciiString(name))
        made.SetType(kind)
        made.SetValue(value)
        if cylindrical:
            made.SetTypeOfValue(
                Tol.XCAFDimTolObjects_GeomToleranceTypeValue.XCAFDimTolObjects_GeomToleranceTypeValue_Diameter
            )
        if at_maximum_material:
            made.SetMaterialRequirementModifier(
                Tol.XCAFDimTolObjects_GeomToleranceMatReqModif.XCAFDimTolObjects_GeomToleranceMatReqModif_M
            )
        attribute.SetObject(made)
        self._tool.SetGeomTolerance(self._sequence(features), label)
        for place, letter in enumerate(letters, start=1):
            # Each use of a datum is a datum object of its own, with its place in the system.
            used = self._tool.AddDatum()
            reference = XCAFDoc_Datum.Set_s(used)
            datum = Tol.XCAFDimTolObjects_DatumObject()
            datum.SetName(TCollection_HAsciiString(letter))
            datum.SetPosition(place)
            reference.SetObject(datum)
            self._tool.SetDatum(self._sequence((DATUMS[letter],)), used)
            self._tool.SetDatumToGeomTol(used, label)


def _write(file: Any, path: Path, name: str) -> None:
    """Write with a header that does not change from run to run."""
    from OCP.APIHeaderSection import APIHeaderSection_MakeHeader

    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.schema", "AP242DIS")
    Interface_Static.SetCVal_s("write.step.product.name", name)
    writer.SetDimTolMode(True)
    writer.SetNameMode(True)
    writer.SetColorMode(True)
    if not writer.Transfer(file, STEPControl_AsIs):
        raise OSError(f"cannot translate {path}")
    header = APIHeaderSection_MakeHeader(writer.ChangeWriter().Model())
    header.SetName(TCollection_HAsciiString(name))
    header.SetTimeStamp(TCollection_HAsciiString("2026-01-01T00:00:00"))
    header.SetAuthorValue(1, TCollection_HAsciiString("Larkspur Instrument Works"))
    if writer.Write(str(path)) != IFSelect_RetDone:
        raise OSError(f"cannot write {path}")
