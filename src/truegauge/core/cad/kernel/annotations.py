"""PMI of an annotated document (STEP AP242): datums, dimensions and geometric tolerances with their faces.

The words for kinds are those of the tolerancing module; lengths in mm, angles in rad.
"""

import math
from typing import Any

import OCP.XCAFDimTolObjects as Tol
from OCP.TDF import TDF_LabelSequence
from OCP.XCAFDoc import (
    XCAFDoc_Datum,
    XCAFDoc_Dimension,
    XCAFDoc_DimTolTool,
    XCAFDoc_DocumentTool,
    XCAFDoc_GeomTolerance,
    XCAFDoc_ShapeTool,
)

from truegauge.core.cad.annotations import (
    NO_ANNOTATIONS,
    AnnotatedDatum,
    AnnotatedDimension,
    AnnotatedTolerance,
    Annotations,
    FrameDatum,
)
from truegauge.core.cad.kernel.documents import attribute_of

_TOLERANCES = {
    "Angularity": "angularity", "CircularRunout": "circular run-out", "CircularityOrRoundness": "roundness",
    "Coaxiality": "coaxiality", "Concentricity": "concentricity", "Cylindricity": "cylindricity",
    "Flatness": "flatness", "Parallelism": "parallelism", "Perpendicularity": "perpendicularity",
    "Position": "position", "ProfileOfLine": "profile of a line", "ProfileOfSurface": "profile of a surface",
    "Straightness": "straightness", "Symmetry": "symmetry", "TotalRunout": "total run-out",
}  # fmt: skip
_DIMENSIONS = {
    "Size_Diameter": "diameter", "Size_SphericalDiameter": "diameter", "Size_Radius": "radius",
    "Size_SphericalRadius": "radius", "Size_Angular": "angle", "Size_Thickness": "width",
    "Location_LinearDistance": "distance", "Location_LinearDistance_FromCenterToOuter": "distance",
    "Location_LinearDistance_FromCenterToInner": "distance",
    "Location_LinearDistance_FromOuterToCenter": "distance",
    "Location_LinearDistance_FromOuterToOuter": "distance",
    "Location_LinearDistance_FromOuterToInner": "distance",
    "Location_LinearDistance_FromInnerToCenter": "distance",
    "Location_LinearDistance_FromInnerToOuter": "distance",
    "Location_LinearDistance_FromInnerToInner": "distance", "Location_Angular": "angle",
}  # fmt: skip
_MATERIAL = {"M": "maximum material requirement", "L": "least material requirement"}
_ANGLES = ("angle",)
# What STEP itself writes where nobody gave a name.
_GENERAL_NAMES = ("diameter", "linear distance", "spherical diameter", "radius", "angular location", "angular size")


def read_annotations(document: Any) -> Annotations:
    """Return what is understood of a document's PMI, and in words what is not."""
    if document.document is None:
        return NO_ANNOTATIONS
    tool = XCAFDoc_DocumentTool.DimTolTool_s(document.document.Main())
    unknown: list[str] = []
    datums = _datums(tool, document, unknown)
    dimensions = _dimensions(tool, document, unknown)
    tolerances = _tolerances(tool, document, unknown)
    return Annotations(
        datums=tuple(datums), dimensions=tuple(dimensions), tolerances=tuple(tolerances),
        not_understood=tuple(unknown),
    )  # fmt: skip


def _labels(fill: Any) -> list[Any]:
    labels = TDF_LabelSequence()
    fill(labels)
    return [labels.Value(i + 1) for i in range(labels.Length())]


def _object(label: Any, kind: Any) -> Any:
    attribute = attribute_of(label, kind)
    return None if attribute is None else attribute.GetObject()


def _faces(label: Any, document: Any) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Return the faces of the first and of the second side of an annotation."""
    first, second = TDF_LabelSequence(), TDF_LabelSequence()
    XCAFDoc_DimTolTool.GetRefShapeLabel_s(label, first, second)
    sides = []
    for labels in (first, second):
        numbers: list[int] = []
        for i in range(labels.Length()):
            shape = XCAFDoc_ShapeTool.GetShape_s(labels.Value(i + 1))
            if shape is not None and not shape.IsNull():
                numbers += [n for n in document.face_numbers(shape) if n not in numbers]
        sides.append(tuple(numbers))
    return sides[0], sides[1]


def _text(handle: Any) -> str:
    return "" if handle is None else str(handle.ToCString()).strip()


def _word(enumeration: Any, prefix: str) -> str:
    return str(enumeration.name).removeprefix(prefix)


def _spaced(word: str) -> str:
    return "".join(f" {c.lower()}" if c.isupper() else c for c in word.replace("_", " ")).strip()


def _datums(tool: Any, document: Any, unknown: list[str]) -> list[AnnotatedDatum]:
    found: dict[str, list[int]] = {}
    for label in _labels(tool.GetDatumLabels):
        datum = _object(label, XCAFDoc_Datum)
        if datum is None:
            continue
        letter = _text(datum.GetName())
        if datum.IsDatumTarget():
            unknown.append(f"datum target {letter}{datum.GetDatumTargetNumber()}: targets are not taken over yet")
            continue
        faces, _ = _faces(label, document)
        known = found.setdefault(letter, [])
        known += [f for f in faces if f not in known]
    for letter, numbers in found.items():
        if not numbers:
            unknown.append(f"datum {letter}: it is tied to no face of the part")
    return [AnnotatedDatum(letter=x, faces=tuple(f)) for x, f in sorted(found.items()) if f and x]


def _dimensions(tool: Any, document: Any, unknown: list[str]) -> list[AnnotatedDimension]:
    found = []
    for k, label in enumerate(_labels(tool.GetDimensionLabels)):
        dimension = _object(label, XCAFDoc_Dimension)
        if dimension is None:
            continue
        word = _word(dimension.GetType(), "XCAFDimTolObjects_DimensionType_")
        name = _text(dimension.GetSemanticName())
        if name in _GENERAL_NAMES:
            name = ""
        title = f"dimension {name or k + 1}"
        kind = _DIMENSIONS.get(word)
        faces, others = _faces(label, document)
        values = dimension.GetValues()
        if kind is None:
            unknown.append(f"{title}: the kind {_spaced(word)!r} is not known")
        elif not faces:
            unknown.append(f"{title}: it is tied to no face of the part")
        elif values is None or values.Length() == 0:
            unknown.append(f"{title}: it has no value")
        else:
            scale = math.radians(1.0) if kind in _ANGLES else 1.0
            value = float(dimension.GetValue())
            lower: float | None = None
            upper: float | None = None
            if dimension.IsDimWithPlusMinusTolerance():
                # The kernel keeps the lower tolerance without its minus: 0.02 means -0.02, -0.01 means +0.01.
                lower, upper = 0.0 - dimension.GetLowerTolValue(), float(dimension.GetUpperTolValue())
            elif dimension.IsDimWithRange():
                low, high = float(dimension.GetLowerBound()), float(dimension.GetUpperBound())
                value = (low + high) / 2
                lower, upper = low - value, high - value
            elif dimension.IsDimWithClassOfTolerance():
                unknown.append(f"{title}: its fit class is not resolved; enter the limits")
            modifiers = [
                _spaced(_word(m, "XCAFDimTolObjects_DimensionModif_")) for m in _each(dimension.GetModifiers())
            ]
            if all(map(math.isfinite, (value, lower or 0.0, upper or 0.0))):
                found.append(
                    AnnotatedDimension(
                        kind=kind, name=name, faces=faces, other_faces=others, value=value * scale,
                        lower=None if lower is None else lower * scale,
                        upper=None if upper is None else upper * scale, modifiers=tuple(modifiers),
                    )
                )  # fmt: skip
            else:
                unknown.append(f"{title}: its value is no number")
    return found


def _tolerances(tool: Any, document: Any, unknown: list[str]) -> list[AnnotatedTolerance]:
    found = []
    for k, label in enumerate(_labels(tool.GetGeomToleranceLabels)):
        tolerance = _object(label, XCAFDoc_GeomTolerance)
        if tolerance is None:
            continue
        word = _word(tolerance.GetType(), "XCAFDimTolObjects_GeomToleranceType_")
        name = _text(tolerance.GetSemanticName())
        kind = _TOLERANCES.get(word)
        title = f"{kind or 'tolerance'} {name or k + 1}"
        faces, _ = _faces(label, document)
        value = float(tolerance.GetValue())
        if kind is None:
            unknown.append(f"{title}: the kind {_spaced(word)!r} is not known")
        elif not faces:
            unknown.append(f"{title}: it is tied to no face of the part")
        elif not math.isfinite(value) or value < 0:
            unknown.append(f"{title}: its value is no number")
        else:
            found.append(
                AnnotatedTolerance(
                    kind=kind, name=name, faces=faces, value=value, datums=_datum_system(label),
                    modifiers=_modifiers(tolerance),
                )
            )  # fmt: skip
    return found


def _modifiers(tolerance: Any) -> tuple[str, ...]:
    words = []
    zone = _word(tolerance.GetTypeOfValue(), "XCAFDimTolObjects_GeomToleranceTypeValue_")
    if zone != "None":
        words.append({"Diameter": "cylindrical zone", "SphericalDiameter": "spherical zone"}.get(zone, _spaced(zone)))
    material = _word(tolerance.GetMaterialRequirementModifier(), "XCAFDimTolObjects_GeomToleranceMatReqModif_")
    if material in _MATERIAL:
        words.append(_MATERIAL[material])
    zone = _word(tolerance.GetZoneModifier(), "XCAFDimTolObjects_GeomToleranceZoneModif_")
    if zone != "None":
        words.append(f"{zone.lower()} zone {tolerance.GetValueOfZoneModifier():g}")
    words += [_spaced(_word(m, "XCAFDimTolObjects_GeomToleranceModif_")) for m in _each(tolerance.GetModifiers())]
    return tuple(words)


def _datum_system(label: Any) -> tuple[FrameDatum, ...]:
    labels = TDF_LabelSequence()
    XCAFDoc_DimTolTool.GetDatumWithObjectOfTolerLabels_s(label, labels)
    places: dict[int, list[tuple[str, tuple[str, ...]]]] = {}
    for i in range(labels.Length()):
        datum = _object(labels.Value(i + 1), XCAFDoc_Datum)
        if datum is not None:
            words = tuple(_spaced(_word(m, "XCAFDimTolObjects_DatumSingleModif_")) for m in _each(datum.GetModifiers()))
            places.setdefault(datum.GetPosition(), []).append((_text(datum.GetName()), words))
    return tuple(
        FrameDatum(letter="-".join(x for x, _ in used), modifiers=tuple(w for _, words in used for w in words))
        for _, used in sorted(places.items())
    )


def _each(sequence: Any) -> list[Any]:
    return [sequence.Value(i + 1) for i in range(sequence.Length())]


assert Tol  # registers the types that the attributes hand out
