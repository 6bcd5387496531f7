"""A part without faces: what a plan is evaluated on that needs none."""

import numpy as np

from truegauge.core.cad.model import CadModel, Mesh


def no_part() -> CadModel:
    """Return a part without faces."""
    none = np.zeros((0, 3))
    whole = np.zeros((0, 3), dtype=np.int64)
    mesh = Mesh(none, none, np.zeros((0, 2)), whole, np.zeros(0, dtype=np.int64), np.zeros((0, 3), dtype=bool))
    return CadModel("no part", "", (), mesh, ())
