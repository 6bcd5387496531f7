"""Write the catalogue of probe components that comes with the application."""

import json
from pathlib import Path
from typing import Any

PATH = Path(__file__).parents[1] / "src/truegauge/assets/probes/catalogue.json"


def body(start: float, end: float, radius: float, *, moves: bool = True) -> dict[str, Any]:
    """Return a body along -z."""
    made: dict[str, Any] = {"start": [0, 0, -start], "end": [0, 0, -end], "radius": radius}
    if not moves:
        made["moves"] = False
    return made


def straight(joint: str, length: float) -> dict[str, Any]:
    """Return an end straight below."""
    return {"joint": joint, "place": [0, 0, -length]}


def stylus(thread: str, diameter: float, length: float, stem: float) -> dict[str, Any]:
    """Return a ball stylus."""
    return {
        "id": f"ball-{thread}-{diameter:g}-{length:g}".lower(), "name": f"Ball Ø{diameter:g} × {length:g}, {thread}",
        "kind": "stylus", "base": thread,
        "bodies": [body(0, min(5.0, 0.3 * length), 1.5 if thread == "M2" else 2.0), body(0, length, stem)],
        "tips": [{"diameter": diameter, "place": [0, 0, -length]}],
    }  # fmt: skip


def components() -> list[dict[str, Any]]:
    """Return all components."""
    found: list[dict[str, Any]] = [
        {
            "id": "head-indexed", "name": "Indexed head, steps of 7.5°", "kind": "head", "base": "quill",
            "bodies": [body(0, 42, 29, moves=False), body(42, 70, 24), body(70, 84, 13)],
            "ends": [straight("probe mount", 84)],
            "articulation": {"pivot": [0, 0, -56], "step_deg": 7.5, "tilt_max_deg": 105.0},
        },
        {
            "id": "head-fixed", "name": "Fixed head", "kind": "head", "base": "quill",
            "bodies": [body(0, 40, 24), body(40, 54, 13)], "ends": [straight("probe mount", 54)],
        },
    ]  # fmt: skip
    for length in (50, 100, 150, 200):
        found.append({"id": f"extension-{length}", "name": f"Extension {length}", "kind": "extension",
                      "base": "probe mount", "bodies": [body(0, length, 8.5)],
                      "ends": [straight("probe mount", length)]})  # fmt: skip
    for thread, radius, length in (("M2", 6.6, 38), ("M3", 9.0, 48)):
        found.append({"id": f"trigger-{thread.lower()}", "name": f"Touch-trigger sensor, {thread}", "kind": "sensor",
                      "base": "probe mount", "bodies": [body(0, length - 6, radius), body(length - 6, length, 3.0)],
                      "ends": [straight(thread, length)]})  # fmt: skip
    for diameter, length, stem in ((4, 20, 0.75), (4, 30, 0.75), (3, 20, 0.75), (2, 20, 0.7), (2, 10, 0.5),
                                   (1, 20, 0.35), (1, 10, 0.35), (0.5, 10, 0.15), (6, 10, 0.75), (3, 40, 0.75),
                                   (4, 50, 0.75)):  # fmt: skip
        found.append(stylus("M2", diameter, length, stem))
    for diameter, length, stem in ((4, 40, 1.25), (5, 50, 1.25), (6, 75, 1.75), (8, 100, 2.5), (3, 40, 1.0)):
        found.append(stylus("M3", diameter, length, stem))
    for thread, lengths, radius in (("M2", (10, 20, 30, 40), 1.5), ("M3", (20, 35, 50), 2.0)):
        for length in lengths:
            found.append({"id": f"stylus-extension-{thread}-{length}".lower(),
                          "name": f"Stylus extension {length}, {thread}", "kind": "extension", "base": thread,
                          "bodies": [body(0, length, radius)], "ends": [straight(thread, length)]})  # fmt: skip
    across = [[1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0]]
    for thread, half in (("M2", 5.0), ("M3", 7.0)):
        ends = [{"joint": thread, "place": [half * x, half * y, -half], "direction": [x, y, z]} for x, y, z in across]
        found.append({"id": f"star-{thread.lower()}", "name": f"Star centre, five ends, {thread}",
                      "kind": "star center", "base": thread, "bodies": [body(0, 2 * half, half - 1)],
                      "ends": [straight(thread, 2 * half), *ends]})  # fmt: skip
        found.append({"id": f"cube-{thread.lower()}", "name": f"Cube, one end across, {thread}", "kind": "cube",
                      "base": thread, "bodies": [body(0, 2 * half, half - 1)], "ends": [ends[0]]})  # fmt: skip
    found.append({"id": "disc-m2-18", "name": "Disc Ø18, M2", "kind": "stylus", "base": "M2",
                  "bodies": [body(0, 10, 1.5)],
                  "tips": [{"shape": "disc", "diameter": 18, "thickness": 2.4, "place": [0, 0, -11.2]}]})  # fmt: skip
    found.append({"id": "cylinder-m2-3", "name": "Cylinder Ø3 × 4, M2", "kind": "stylus", "base": "M2",
                  "bodies": [body(0, 11, 0.9)],
                  "tips": [{"shape": "cylinder", "diameter": 3, "thickness": 4, "place": [0, 0, -13]}]})  # fmt: skip
    return found


if __name__ == "__main__":
    PATH.parent.mkdir(parents=True, exist_ok=True)
    lines = ",\n".join("  " + json.dumps(c, ensure_ascii=False) for c in components())
    PATH.write_text('{"schema_version": 1, "components": [\n' + lines + "\n]}\n", encoding="utf-8")
