"""The check that finds circles of modules, on circles that are made for it."""

import ast
import importlib.util
from pathlib import Path

TOOL = Path(__file__).parents[2] / "tools" / "import_circles.py"


def tool():
    spec = importlib.util.spec_from_file_location("import_circles", TOOL)
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


def test_every_circle_is_found_once():
    graph = {"a": {"b"}, "b": {"c"}, "c": {"a", "d"}, "d": {"e"}, "e": set(), "f": {"g"}, "g": {"f", "a"}}
    assert sorted(tool().circles(graph)) == [["a", "b", "c"], ["f", "g"]]
    assert tool().circles({"a": {"b"}, "b": {"c"}, "c": set()}) == []


def test_imports_within_functions_count_and_those_for_types_do_not():
    text = """
from typing import TYPE_CHECKING
import pack.one
from pack import two, thing
if TYPE_CHECKING:
    from pack.three import Three
def f():
    from pack.four import Four
"""
    known = dict.fromkeys(("pack", "pack.one", "pack.two", "pack.three", "pack.four"))
    assert tool().imported(ast.parse(text), known) == {"pack", "pack.one", "pack.two", "pack.four"}
