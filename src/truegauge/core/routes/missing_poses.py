"""Adding the poses of a head that a route is missing: as few as get at what no stylus of the plan reaches."""

from collections.abc import Callable
from dataclasses import dataclass

from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.routes.candidates import with_pose
from truegauge.core.routes.legs import PlannedRoute, Unreached

_MOST = 12  # poses that are added at most, and tried in vain
_LEAST = 0.6  # share of the places of a feature that a pose is to get at


@dataclass(frozen=True, slots=True, eq=False)
class Completed:
    """The probing with what was added, the route planned with it, and the poses (each by a stylus that needs it)."""

    probing: Probing
    planned: PlannedRoute
    added: tuple[StylusUse, ...] = ()

    @property
    def open_ones(self) -> tuple[Unreached, ...]:
        """What no pose that was found gets at: somebody has to be asked."""
        return self.planned.unreached


def completed(
    found: Completed, plan_with: Callable[[Probing], PlannedRoute], enough: Callable[[], bool] = lambda: False
) -> Completed:
    """Add poses to what there is until everything is reached, or no pose is known that reaches more.

    `plan_with` plans the route with a probing. Whether a pose helps is told by the route planned with it; one that
    does not is left out again. The pose that most features ask for comes first. `enough` is asked whether to stop with
    those that there are.
    """
    in_vain: set[tuple[str, HeadPose]] = set()
    for _ in range(_MOST):
        use = None if enough() else _most_wanted(found, in_vain)
        if use is None:
            break
        trial = with_pose(found.probing, use)
        planned = plan_with(trial)
        if len(planned.unreached) < len(found.planned.unreached):
            found = Completed(trial, planned, (*found.added, use))
        else:
            in_vain.add((use.assembly, use.pose))
    return found


def _most_wanted(found: Completed, in_vain: set[tuple[str, HeadPose]]) -> StylusUse | None:
    """Return a pose that the plan does not have and most unreached features name; of equals the one that gets most."""
    wanted: dict[tuple[str, HeadPose], tuple[int, float, StylusUse]] = {}
    for lost in found.planned.unreached:
        for c in lost.candidates:
            key = (c.use.assembly, c.use.pose)
            own = found.probing.assembly(c.use.assembly)
            if c.share < _LEAST or key in in_vain or c.use.pose in own.poses:
                continue
            count, share, use = wanted.get(key, (0, 0.0, c.use))
            wanted[key] = (count + 1, share + c.share, use)
    if not wanted:
        return None
    return max(wanted.values(), key=lambda w: (w[0], w[1]))[2]
