"""Sample files (.tgsample): a ZIP of sample.json and the scan file exactly as it was brought in."""

import json
from pathlib import Path

from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.plan.sample import Sample, SampleData
from truegauge.formats.archive import read_archive, read_document, write_archive
from truegauge.formats.plan_file import plain
from truegauge.formats.scan import SCAN_READERS, Scan, read_scan, scan_from_bytes

SCHEMA_VERSION = 1
_DOCUMENT = "sample.json"


def sample_from_scan(scan: Scan, file_name: str) -> Sample:
    """Make a sample of a scan."""
    return Sample(scan.key, SampleData(name=scan.name, unit=scan.unit, scan_file=file_name), scan.points)


def write_sample(path: Path, sample: Sample, content: bytes) -> None:
    """Save a sample; `content` is the scan file that it was made from."""
    document = {"schema_version": SCHEMA_VERSION, **sample.data.model_dump(mode="json")}
    ending = Path(sample.data.scan_file).suffix.lower()
    name = f"scan{ending}" if ending in SCAN_READERS else "scan.ply"
    members = {_DOCUMENT: (json.dumps(document, indent=1) + "\n").encode(), name: content}
    write_archive(path, members)


def read_sample(path: Path) -> tuple[Sample, bytes]:
    """Open a sample file; returns the sample and the scan file inside.

    Raises
    ------
    FormatError
        Not a sample, damaged, or from a newer version.
    """
    members = read_archive(path, "sample")
    document = read_document(path, members, _DOCUMENT, SCHEMA_VERSION, "sample")
    del document["schema_version"]
    name = next((f"scan{ending}" for ending in SCAN_READERS if f"scan{ending}" in members), None)
    if name is None:
        raise FormatError(path, "the sample is damaged: its scan is missing")
    try:
        data = SampleData.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"the sample is damaged: {plain(error)}") from error
    scan = scan_from_bytes(path, members[name], data.unit, Path(name).suffix)
    return Sample(scan.key, data, scan.points), members[name]


def open_sample(path: Path, unit: str = "mm") -> tuple[Sample, bytes]:
    """Open a sample file, or a scan as a new sample."""
    if path.suffix.lower() == ".tgsample":
        return read_sample(path)
    scan = read_scan(path, unit)
    return sample_from_scan(scan, path.name), scan.content
