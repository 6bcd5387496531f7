"""True Gauge: dimensional inspection on real geometry."""

import importlib
import os

__version__ = "0.1.0"

# Threads of the kernels that wait for work sleep: else every short kernel costs a second core, and other work waits.
os.environ.setdefault("OMP_WAIT_POLICY", "PASSIVE")
# Our matrices are small: with two threads for each an inspection takes a fourth longer and a third more processor time.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

# The public names, and the modules that they live in; loaded when they are asked for.
_PUBLIC = {
    "Plan": "plans", "Feature": "plan_features", "kinds": "plans", "new_plan": "plans", "open_plan": "plans",
    "Inspection": "inspecting", "CharacteristicResult": "inspecting", "inspect": "inspecting", "batch": "inspecting",
    "imperfections": "imperfections", "blade": "blades",
    "SilhouettePlan": "silhouettes", "new_silhouette": "silhouettes", "open_silhouette": "silhouettes",
    "silhouette_sizes": "silhouettes", "calibrate_by_plate": "silhouettes", "calibrate_by_pins": "silhouettes",
    "Machine": "machines", "StandIn": "machines", "connect": "machines", "stand_in": "machines",
}  # fmt: skip
__all__ = ["__version__", *_PUBLIC]


def __getattr__(name: str) -> object:
    if name not in _PUBLIC:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(importlib.import_module(f"truegauge.api.{_PUBLIC[name]}"), name)


def __dir__() -> list[str]:
    return sorted(__all__)
