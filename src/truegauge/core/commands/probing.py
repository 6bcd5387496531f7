"""Commands that change what a plan says about probes."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan
from truegauge.core.probing.assembly import ProbeAssembly
from truegauge.core.probing.probing import Probing, RackPort
from truegauge.core.routes.document import MeasureStep, Route


@dataclass(frozen=True, slots=True)
class SetProbing:
    """Change what is said about probes."""

    probing: Probing
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(probing=self.probing, route=_with_styli_of(plan.route, self.probing))


def _with_styli_of(route: Route, probing: Probing) -> Route:
    """Return a route in which steps whose stylus is gone take the best one again."""
    gone = [s for s in route.steps if isinstance(s, MeasureStep) and s.stylus and not probing.has_stylus(s.stylus)]
    if not gone:
        return route
    return route.replace(steps=tuple(s.replace(stylus=None) if s in gone else s for s in route.steps))


def with_assembly(probing: Probing, assembly: ProbeAssembly) -> Probing:
    """Return the probing with an assembly: in the place of the one with its id, or at the end.

    A master stylus that is gone with the change is forgotten.
    """
    known = any(a.id == assembly.id for a in probing.assemblies)
    every = tuple(assembly if a.id == assembly.id else a for a in probing.assemblies)
    return _consistent(probing, every if known else (*every, assembly))


def without_assembly(probing: Probing, assembly_id: str) -> Probing:
    """Return the probing without an assembly."""
    return _consistent(probing, tuple(a for a in probing.assemblies if a.id != assembly_id))


def _consistent(probing: Probing, assemblies: tuple[ProbeAssembly, ...]) -> Probing:
    bare = probing.replace(assemblies=(), master=None, rack=())
    changed = bare.replace(assemblies=assemblies)
    ids = {a.id for a in assemblies}
    rack = tuple(p if p.assembly in ids else p.replace(assembly="") for p in probing.rack)
    master = probing.master if probing.master is not None and changed.has_stylus(probing.master) else None
    return changed.replace(rack=rack, master=master)


def new_assembly(probing: Probing) -> ProbeAssembly:
    """Return an empty assembly with an id and a name of its own."""
    ids, names = {a.id for a in probing.assemblies}, {a.name for a in probing.assemblies}
    number = 1
    while f"p{number}" in ids or f"Probe {number}" in names:
        number += 1
    return ProbeAssembly(id=f"p{number}", name=f"Probe {number}")


def with_port(probing: Probing, port: RackPort, index: int) -> Probing:
    """Return the probing with a port changed, or (an index beyond the last) added; an assembly is in one port only."""
    rack = [p.replace(assembly="") if port.assembly and p.assembly == port.assembly else p for p in probing.rack]
    if index < len(rack):
        rack[index] = port
    else:
        rack.append(port)
    return probing.replace(rack=tuple(rack))
