"""What may be loaded without what, in an interpreter of its own."""

import subprocess
import sys
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[2] / "src" / "truegauge"
CORE = (
    "truegauge.core.evaluation.evaluator",
    "truegauge.core.authoring.proposals",
    "truegauge.core.registration.align",
    "truegauge.core.association.by_criterion",
)


def loaded_with(modules):
    code = f"import sys\nfor m in {modules!r}: __import__(m)\nprint(sorted(m.split('.')[0] for m in sys.modules))"
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout


def modules_of(*packages):
    found = []
    for package in packages:
        for path in sorted((SOURCE / package).rglob("*.py")):
            parts = path.relative_to(SOURCE.parent).with_suffix("").parts
            found.append(".".join(parts[:-1] if parts[-1] == "__init__" else parts))
    return tuple(found)


def test_the_core_imports_no_interface_and_no_kernel_in_a_fresh_interpreter():
    loaded = loaded_with(CORE)
    for foreign in ("PySide6", "vtkmodules", "OCP", "reportlab", "typer"):
        assert f"'{foreign}'" not in loaded


@pytest.mark.parametrize("package", ["core", "api", "devices", "jobs", "formats", "reporting", "rendering"])
def test_all_but_the_window_is_imported_without_qt(package):
    modules = modules_of(package)
    assert len(modules) > 3
    assert "'PySide6'" not in loaded_with(modules)
