"""The one door between NumPy arrays and VTK."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData


def _cells(connectivity: NDArray[np.int64]) -> vtkCellArray:
    cells = vtkCellArray()
    offsets = np.arange(len(connectivity) + 1, dtype=np.int64) * connectivity.shape[1]
    cells.SetData(numpy_to_vtk(offsets, deep=1), numpy_to_vtk(np.ascontiguousarray(connectivity).ravel(), deep=1))
    return cells


def _points(values: NDArray[Any], origin: NDArray[np.float64]) -> vtkPoints:
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(values - origin, dtype=np.float32), deep=1))
    return points


def surface_data(
    vertices: NDArray[np.float64],
    triangles: NDArray[np.int64],
    normals: NDArray[np.float64],
    origin: NDArray[np.float64],
    texture_coordinates: NDArray[np.float64] | None = None,
) -> vtkPolyData:
    """Return triangles with normals; float32 from a local origin."""
    data = vtkPolyData()
    data.SetPoints(_points(vertices, origin))
    data.SetPolys(_cells(triangles))
    data.GetPointData().SetNormals(numpy_to_vtk(np.ascontiguousarray(normals, dtype=np.float32), deep=1))
    if texture_coordinates is not None:
        coordinates = np.ascontiguousarray(texture_coordinates, dtype=np.float32)
        data.GetPointData().SetTCoords(numpy_to_vtk(coordinates, deep=1))
    return data


def points_data(
    points: NDArray[np.float64], origin: NDArray[np.float64], colors: NDArray[np.uint8] | None = None
) -> vtkPolyData:
    """Return points as vertices, each with its colour if given."""
    data = vtkPolyData()
    data.SetPoints(_points(points, origin))
    data.SetVerts(_cells(np.arange(len(points), dtype=np.int64)[:, None]))
    if colors is not None:
        data.GetPointData().SetScalars(numpy_to_vtk(np.ascontiguousarray(colors), deep=1))
    return data


def lines_data(polylines: list[NDArray[np.float64]], origin: NDArray[np.float64]) -> vtkPolyData:
    """Return polylines as line segments."""
    data = vtkPolyData()
    if not polylines:
        return data
    starts = np.cumsum([0] + [len(p) for p in polylines[:-1]])
    segments = [np.column_stack([np.arange(s, s + len(p) - 1), np.arange(s + 1, s + len(p))])
                for s, p in zip(starts, polylines, strict=True)]  # fmt: skip
    data.SetPoints(_points(np.vstack(polylines), origin))
    data.SetLines(_cells(np.vstack(segments).astype(np.int64)))
    return data


def image_of(window: Any, width: int, height: int, store: Any) -> NDArray[np.uint8]:
    """Return the rendered picture (height, width, 4), top row first, valid on its own."""
    window.GetRGBACharPixelData(0, 0, width - 1, height - 1, 0, store)
    pixels = vtk_to_numpy(store).reshape(height, width, 4)
    return np.ascontiguousarray(pixels[::-1])


def segments_data(
    starts: NDArray[np.float64], ends: NDArray[np.float64], colors: NDArray[np.uint8], origin: NDArray[np.float64]
) -> vtkPolyData:
    """Return single lines, each with its colour (n, 3)."""
    count = len(starts)
    places = np.empty((2 * count, 3))
    places[0::2], places[1::2] = starts, ends
    data = vtkPolyData()
    data.SetPoints(_points(places, origin))
    data.SetLines(_cells(np.arange(2 * count, dtype=np.int64).reshape(-1, 2)))
    data.GetCellData().SetScalars(numpy_to_vtk(np.ascontiguousarray(colors, dtype=np.uint8), deep=1))
    return data
