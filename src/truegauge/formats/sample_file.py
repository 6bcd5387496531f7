"""Sample files (.tgsample): a ZIP of sample.json and the scan files exactly as they were brought in."""

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.frames import as_rigid
from truegauge.core.plan.lens import LensRecord
from truegauge.core.progress import Progress, silent
from truegauge.core.samples.contributions import ScanPoints, ShadowPicture
from truegauge.core.samples.document import PictureFile, SampleData, ScanFile
from truegauge.core.samples.sample import Sample
from truegauge.formats.archive import read_archive, read_document, write_archive
from truegauge.formats.files import Content
from truegauge.formats.pictures import SUFFIXES, picture_from_bytes, png_of, read_picture
from truegauge.formats.plan_file import plain
from truegauge.formats.scan import SCAN_READERS, Columns, Scan, read_scan, scan_from_bytes

SCHEMA_VERSION = 10
_DOCUMENT = "sample.json"
_LARGEST_DOCUMENT, _LARGEST_SCAN, _LARGEST_PICTURE = 64 << 20, 2 << 30, 256 << 20


def sample_from_scan(scan: Scan, file_name: str, columns: Columns | None = None) -> Sample:
    """Make a sample of a scan."""
    file = ScanFile(file_name=file_name, unit=scan.unit, columns=columns, count=len(scan.points))
    points = ScanPoints(scan.key, file, scan.points, scan.normals, scan.colors, scan.notes)
    return Sample.of(SampleData(name=scan.name), (points,))


def write_sample(path: Path, sample: Sample, contents: tuple[Content, ...]) -> None:
    """Save a sample; `contents` are the scan files that it was made from."""
    document = {"schema_version": SCHEMA_VERSION, **sample.data.model_dump(mode="json")}
    members: dict[str, Content] = {_DOCUMENT: (json.dumps(document, indent=1) + "\n").encode()}
    for k, (file, content) in enumerate(zip(sample.files, contents, strict=True)):
        ending = Path(file.file_name).suffix.lower()
        members[f"scan-{k + 1}{ending if ending in SCAN_READERS else '.ply'}"] = content
    for k, picture in enumerate(sample.pictures):
        members[f"picture-{k + 1}.png"] = png_of(picture.pixels)
    write_archive(path, members)


def read_sample(path: Path) -> tuple[Sample, tuple[Content, ...]]:
    """Open a sample file; returns the sample and the scan files inside.

    Raises
    ------
    FormatError
        Not a sample, damaged, or from a newer version.
    """
    members, _ = read_archive(path, "sample", {_DOCUMENT: _LARGEST_DOCUMENT, "scan": _LARGEST_SCAN,
                                              "picture": _LARGEST_PICTURE})  # fmt: skip
    document = read_document(path, members, _DOCUMENT, SCHEMA_VERSION, "sample")
    document = _as_of_now(document)
    try:
        data = SampleData.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"the sample is damaged: {plain(error)}") from error
    sample: Sample | None = None
    contents: list[Content] = []
    for k, file in enumerate(data.scans):
        names = [f"scan-{k + 1}{ending}" for ending in SCAN_READERS] + [f"scan{e}" for e in SCAN_READERS if k == 0]
        name = next((n for n in names if n in members), None)
        if name is None:
            raise FormatError(path, f"the sample is damaged: its scan {k + 1} ({file.file_name}) is missing")
        scan = scan_from_bytes(path, members[name], file.unit, Path(name).suffix, file.columns)
        one = sample_from_scan(scan, file.file_name, file.columns)
        if file.placement is not None:
            try:
                one = one.placed(as_rigid(np.array(file.placement).reshape(4, 4)), file.placed_by)
            except ValueError as error:
                raise FormatError(path, f"the sample is damaged: placement of scan {k + 1}: {error}") from error
        sample = one if sample is None else sample.joined(one)
        contents.append(scan.content)
    if data.pictures and sample is None:
        return Sample.of(data, pictures=_pictures(path, data, members)), ()
    if sample is None and (data.touches or data.probed):
        sample = Sample.of(data, origin=touches_key(data))
    if sample is None:
        raise FormatError(path, "the sample is damaged: its scan is missing")
    return sample.with_data(data), tuple(contents)


def sample_from_picture(
    path: Path, lens: LensRecord | None = None, *, camera: str = "", taken_at: str = ""
) -> Sample:  # fmt: skip
    """Make a sample of the picture of a shadow in a file; measured by a calibration, or by that of the plan.

    Raises
    ------
    FormatError
        The file is no picture.
    """
    file = PictureFile(file_name=path.name, camera=camera, lens=lens, taken_at=taken_at)
    picture = ShadowPicture.of(file, read_picture(path))
    return Sample.of(SampleData(name=path.stem), pictures=(picture,))


def _pictures(path: Path, data: SampleData, members: Mapping[str, bytes]) -> tuple[ShadowPicture, ...]:
    found = []
    for k, file in enumerate(data.pictures):
        content = members.get(f"picture-{k + 1}.png")
        if content is None:
            raise FormatError(path, f"the sample is damaged: its picture {k + 1} ({file.file_name}) is missing")
        found.append(ShadowPicture.of(file, picture_from_bytes(path, content)))
    return tuple(found)


def _as_of_now(document: dict[str, Any]) -> dict[str, Any]:
    """Bring a document of version 1, which had one scan, to the present version."""
    document = {k: v for k, v in document.items() if k != "schema_version"}
    if "scan_file" in document or "unit" in document:
        name = document.pop("scan_file", "") or "scan.ply"
        document["scans"] = [{"file_name": name, "unit": document.pop("unit", "mm")}]
    return document


def touches_key(data: SampleData) -> str:
    """Return the key of a sample that has touches and no scan."""
    return hashlib.sha256(json.dumps([t.model_dump() for t in (*data.touches, *data.probed)]).encode()).hexdigest()


def open_sample(
    path: Path, unit: str = "", columns: Columns | None = None, *, progress: Progress = silent
) -> tuple[Sample, tuple[Content, ...]]:
    """Open a sample file, or a scan or the picture of a shadow as a new sample."""
    if path.suffix.lower() == ".tgsample":
        return read_sample(path)
    if path.suffix.lower() in SUFFIXES:
        return sample_from_picture(path), ()
    scan = read_scan(path, unit, columns, progress=progress)
    return sample_from_scan(scan, path.name, columns), (scan.content,)
