"""Commands that change what a plan says about probes."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan
from truegauge.core.probing.assembly import ProbeAssembly
from truegauge.core.probing.probing import Probing, RackPort


@dataclass(frozen=True, slots=True)
class SetProbing:
    """Change what is said about probes."""

    probing: Probing
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(probing=self.probing)


def with_assembly(probing: Probing, assembly: ProbeAssembly) -> Probing:
    """Return the probing with an assembly: in the place of the one with its id, or at the end.

    A master stylus or a feature's stylus that is gone with the change is forgotten.
    """
    known = any(a.id == assembly.id for a in probing.assemblies)
    every = tuple(assembly if a.id == assembly.id else a for a in probing.assemblies)
    return _consistent(probing, every if known else (*every, assembly))


def without_assembly(probing: Probing, assembly_id: str) -> Probing:
    """Return the probing without an assembly."""
    return _consistent(probing, tuple(a for a in probing.assemblies if a.id != assembly_id))


def _consistent(probing: Probing, assemblies: tuple[ProbeAssembly, ...]) -> Probing:
    bare = probing.replace(assemblies=(), master=None, rack=(), features=())
    changed = bare.replace(assemblies=assemblies)
    ids = {a.id for a in assemblies}
    rack = tuple(p if p.assembly in ids else p.replace(assembly="") for p in probing.rack)
    features = tuple(
        f if f.stylus is None or changed.has_stylus(f.stylus) else f.replace(stylus=None) for f in probing.features
    )
    master = probing.master if probing.master is not None and changed.has_stylus(probing.master) else None
    return changed.replace(rack=rack, features=features, master=master)


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
