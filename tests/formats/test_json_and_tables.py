"""Catalogues, records of machines and tables that are made to harm: refused in words, and at once."""

import json

import numpy as np
import pytest
from mutations import assert_only_refusals

from truegauge.core.errors import FormatError
from truegauge.core.probing.records import MachineRecord
from truegauge.formats.catalogue import own_catalogue, read_catalogue
from truegauge.formats.machine_file import read_machine, write_machine
from truegauge.formats.nominal_csv import part_from_csv, rows_from_csv
from truegauge.formats.points_text import read_points
from truegauge.formats.spots_csv import read_named_places, read_spots
from truegauge.formats.touches_csv import read_touches

CATALOGUE = (own_catalogue.__wrapped__.__globals__["_OWN"]).read_bytes()
HARM = {
    "nested": b"[" * 100_000,
    "nested objects": b'{"a":' * 50_000 + b"1" + b"}" * 50_000,
    "digits": b'{"schema_version": ' + b"9" * 10_000 + b', "components": []}',
    "digits of a number": b'{"schema_version": 1, "components": [{"id": ' + b"9" * 9_000 + b"}]}",
    "objects": b'{"schema_version": 1, "components": [' + b"{}," * 1_200_000 + b"{}]}",
    "NaN": b'{"schema_version": 1, "components": [NaN]}',
    "infinite": b'{"schema_version": 1, "components": [{"id": 1e999}]}',
    "version": b'{"schema_version": true, "components": []}',
    "version of words": b'{"schema_version": "1", "components": []}',
    "version of a list": b'{"schema_version": [], "components": []}',
    "newer": b'{"schema_version": 99, "components": []}',
    "list": b"[]",
    "text": b"hello",
    "bytes": bytes(range(256)),
    "another code": "{}".encode("utf-16"),
    "nothing": b"null",
}


@pytest.mark.parametrize("name", HARM)
@pytest.mark.parametrize("read", [read_catalogue, lambda path: read_machine(path, "one"), read_points])
def test_json_that_is_made_to_harm_is_refused(name, read, tmp_path):
    path = tmp_path / "file.json"
    path.write_bytes(HARM[name])
    with pytest.raises(FormatError) as caught:
        read(path)
    assert str(caught.value).startswith("file.json: ")
    assert len(str(caught.value)) < 600


def test_no_mutation_of_a_catalogue_is_believed_or_crashes(tmp_path):
    def is_whole(found):
        numbers = [x for c in found.components for b in c.bodies for x in (*b.start, *b.end, b.radius)]
        return len(found.components) > 3 and np.isfinite(numbers).all() and np.abs(numbers).max() <= 1e6

    assert_only_refusals(read_catalogue, tmp_path / "file.json", CATALOGUE, 150, 4, is_whole, head=4000)


@pytest.mark.parametrize("value", [1e7, -1e300, "12", None, [], {"a": 1}, True])
def test_wrong_types_and_numbers_in_any_field_of_a_component_are_refused_or_mean_the_same(value, tmp_path):
    document = json.loads(CATALOGUE)
    rng = np.random.default_rng(2)
    refused = 0
    for _ in range(40):
        changed = json.loads(CATALOGUE)
        _put(changed["components"][rng.integers(len(document["components"]))], value, rng)
        path = tmp_path / "file.json"
        path.write_text(json.dumps(changed))
        try:
            read_catalogue(path)
        except FormatError as error:
            assert "component" in str(error)
            refused += 1
    assert refused > 5


def _put(thing, value, rng):
    """Put a value in place of something that is somewhere in a document."""
    keys = list(thing) if isinstance(thing, dict) else range(len(thing))
    key = keys[rng.integers(len(keys))]
    if isinstance(thing[key], dict | list) and len(thing[key]) and rng.random() < 0.8:
        _put(thing[key], value, rng)
    else:
        thing[key] = value


def test_a_record_of_a_machine_comes_back_and_its_mutations_do_not_crash(tmp_path):
    path = tmp_path / "machine.json"
    write_machine(path, MachineRecord(), "one")
    good = path.read_bytes()
    assert read_machine(path, "one") == MachineRecord()
    rng = np.random.default_rng(5)
    for _ in range(100):
        data = bytearray(good)
        data[rng.integers(len(data))] = rng.integers(256)
        path.write_bytes(bytes(data))
        try:
            assert read_machine(path, "one") == MachineRecord()
        except FormatError as error:
            assert str(error).startswith("machine.json: ")


def _part(path):
    return part_from_csv(path, path.read_bytes(), "key")


TABLES = {
    "spots": (read_spots, "name,x,y,z\nA,1,2,3\n"),
    "places": (read_named_places, "name,x,y,z\nA,1,2,3\n"),
    "touches": (read_touches, "name,x,y,z\nA,1,2,3\n"),
    "part": (_part, "type,name,x,y,z,diameter\nhole,A,1,2,3,4\nhole,B,9,2,3,4\n"),
}


@pytest.mark.parametrize("kind", TABLES)
@pytest.mark.parametrize(("cell", "match"), [
    ("x" * 200_000, r"line \d: cell \d has 200,000 characters"), ("1" * 5000, r"line \d: cell \d has 5,000"),
    ('"open', "quotation marks"), ("A\0B", "not a text file"),
    *((number, "out of reach|no name with") for number in ("1e9", "nan", "1" * 400, "-inf")),
])  # fmt: skip
def test_cells_that_no_table_has_are_refused(kind, cell, match, tmp_path):
    read, good = TABLES[kind]
    path = tmp_path / "table.csv"
    path.write_text(good)
    assert read(path) is not None
    last = good.rstrip("\n").rpartition("\n")[2].replace("A", "C").replace("B", "C")
    at = 2 if kind == "part" else 1
    cells = last.split(",")
    cells[at] = cell
    path.write_text(good + ",".join(cells) + "\n")
    with pytest.raises(FormatError, match=match) as caught:
        read(path)
    assert len(str(caught.value)) < 300


@pytest.mark.parametrize("kind", TABLES)
def test_no_mutation_of_a_table_crashes_its_reader(kind, tmp_path):
    read, good = TABLES[kind]
    rows = good.splitlines()
    named = [rows[-1].replace(",1,", f",{k},").replace("A", f"A{k}").replace("B", f"B{k}") for k in range(30)]
    longer = "\n".join([rows[0], *named, ""])
    assert_only_refusals(read, tmp_path / "table.csv", longer.encode(), 150, 8, lambda found: found is not None)


def test_a_column_that_is_there_twice_is_refused(tmp_path):
    path = tmp_path / "table.csv"
    path.write_text("name,x,y,z,x\nA,1,2,3,4\n")
    for read in (read_spots, read_named_places, lambda p: rows_from_csv(p, p.read_bytes())):
        with pytest.raises(FormatError, match="two columns are called 'x'"):
            read(path)
