"""An association as a document of plain numbers and texts, for JSON and the command line."""

from typing import Any

import numpy as np

from truegauge.core.association.fit import Fit


def fit_document(fit: Fit, *, residuals: bool = False) -> dict[str, Any]:
    """Return shape, criterion, parameters (mm, rad) and all figures of an association."""
    parameters = {k: v.tolist() if isinstance(v, np.ndarray) else v for k, v in fit.feature.parameters.items()}
    covariance = fit.covariance
    document: dict[str, Any] = {
        "shape": str(fit.feature.shape),
        "criterion": str(fit.criterion),
        "parameters": parameters,
        "form": fit.form,
        "rms": fit.rms,
        "points": fit.points_used + fit.points_rejected,
        "points_used": fit.points_used,
        "points_rejected": fit.points_rejected,
        "iterations": fit.iterations,
        "condition": fit.condition if np.isfinite(fit.condition) else None,
        "standard_deviations": None
        if covariance is None
        else dict(zip(fit.parameter_names, np.sqrt(np.maximum(np.diag(covariance), 0)).tolist(), strict=True)),
        "covariance": None if covariance is None else covariance.tolist(),
    }
    if fit.rejection is not None:
        document["rejection"] = {
            "factor": fit.rejection.factor,
            "robust_scale": fit.rejection.scale,
            "limit": fit.rejection.limit,
            "rows": np.flatnonzero(~fit.rejection.kept).tolist(),
        }
    if fit.certificate is not None:
        c = fit.certificate
        document["certificate"] = {
            "contacts": list(c.contacts),
            "sides": list(c.sides),
            "multipliers": list(c.multipliers),
            "residual": c.residual,
        }
    if residuals:  # signed by the material
        document["residuals"] = fit.material_residuals.tolist()
    return document
