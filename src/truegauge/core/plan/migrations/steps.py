"""All steps, from the first version to the present one."""

from typing import Any

from truegauge.core.plan.migrations import (
    from_1,
    from_2,
    from_3,
    from_4,
    from_5,
    from_6,
    from_7,
    from_8,
    from_9,
    from_10,
    from_11,
    from_12,
    from_13,
)

_STEPS = {1: from_1.step, 2: from_2.step, 3: from_3.step, 4: from_4.step, 5: from_5.step, 6: from_6.step,
          7: from_7.step, 8: from_8.step, 9: from_9.step, 10: from_10.step, 11: from_11.step,
          12: from_12.step, 13: from_13.step}  # fmt: skip
PRESENT = max(_STEPS) + 1


def as_of_now(document: dict[str, Any]) -> dict[str, Any]:
    """Bring the document of an earlier version to the present one; it is not changed itself."""
    while (version := document.get("schema_version")) in _STEPS:
        document = _STEPS[version](document)
    return document
