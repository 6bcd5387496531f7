"""Version 7 to 8: how features are touched stood with the probes; now they are steps of a route."""

from typing import Any


def step(document: dict[str, Any]) -> dict[str, Any]:
    """Return the document as version 8 has it."""
    probing = document.get("probing")
    if not isinstance(probing, dict) or "features" not in probing:
        return {**document, "schema_version": 8}
    rest = {k: v for k, v in probing.items() if k != "features"}
    asked = probing["features"] if isinstance(probing["features"], list) else []
    steps = [_step(f) for f in asked if isinstance(f, dict)]
    return {**document, "probing": rest, "route": {"steps": steps}, "schema_version": 8}


def _step(f: dict[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = {"kind": "measure", "id": f"m-{f.get('feature')}", "feature": f.get("feature")}
    if f.get("stylus") is not None:
        made["stylus"] = f["stylus"]
    asked = {k: f[k] for k in ("touches", "rows") if f.get(k)}
    if asked:
        made["strategy"] = {"kind": "usual", **asked}
    return made
