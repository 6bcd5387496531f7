"""What the window loads when it opens."""

import ast
import subprocess
import sys


def test_the_window_opens_without_the_cad_kernel_and_what_only_reports_need():
    """They take longer to load than all the rest; the kernel belongs into the process that reads parts."""
    code = "import sys, truegauge.app.window\nprint(sorted({m.split('.')[0] for m in sys.modules}))"
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = set(ast.literal_eval(said.stdout.splitlines()[-1]))
    assert {"PySide6", "numpy"} <= loaded
    assert not loaded & {"OCP", "reportlab", "jinja2", "openpyxl", "cv2", "pypdfium2", "networkx"}
