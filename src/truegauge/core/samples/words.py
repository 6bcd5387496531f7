"""What is to be said about the touches of a sample, where a result or a report rests on them."""

from truegauge.core.samples.sample import Sample


def touch_warning(sample: Sample, features: set[str]) -> str:
    """Say why results of some features (ids) are to be looked at with care; empty when there is no reason."""
    own = [t for t in sample.probed if t.feature in features and t.warning]
    unqualified = [t for t in own if not t.qualified]
    if unqualified:
        return f"touched with a stylus that is not qualified ({unqualified[0].stylus})"
    return own[0].warning if own else ""


def touch_notes(sample: Sample | None) -> tuple[str, ...]:
    """Return lines for a report: how many touches with which styli, and those that were not qualified."""
    if sample is None or not sample.probed:
        return ()
    probed = sample.probed
    styli = sorted({t.stylus for t in probed})
    lines = [f"{len(probed)} touches with {', '.join(styli[:4])}{' and others' if len(styli) > 4 else ''}"]
    for stylus in styli:
        own = [t for t in probed if t.stylus == stylus and t.warning]
        bad = [t for t in own if not t.qualified]
        if bad:
            lines.append(f"Not qualified, and measured with all the same as the plan allows: {stylus}, "
                         f"{len(bad)} touches ({bad[0].warning})")  # fmt: skip
        elif own:
            lines.append(f"To be looked at with care: {stylus}, {len(own)} touches ({own[0].warning})")
    return tuple(lines)
