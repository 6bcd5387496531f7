import subprocess
import sys

MODULES = (
    "truegauge.core.plan.evaluation",
    "truegauge.core.plan.proposals",
    "truegauge.core.registration.align",
    "truegauge.core.association.by_criterion",
)


def test_the_core_imports_no_interface_and_no_kernel_in_a_fresh_interpreter():
    code = f"import sys\nfor m in {MODULES!r}: __import__(m)\nprint(sorted(m.split('.')[0] for m in sys.modules))"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    for foreign in ("PySide6", "vtkmodules", "OCP", "reportlab", "typer"):
        assert f"'{foreign}'" not in loaded
