"""True Gauge: dimensional inspection on real geometry."""

import os

__version__ = "0.1.0"

# Threads of the kernels that wait for work sleep: else every short kernel costs a second core, and other work waits.
os.environ.setdefault("OMP_WAIT_POLICY", "PASSIVE")
