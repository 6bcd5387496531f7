"""Whether a program takes as long as it was rehearsed: ``benchmarks/rehearsed.py [SEEDS]``, by the stand-in's clock.

The demo housing is run with all that a program does (targets and datums touched again, alignments, ways planned anew
where the part was found). Beside it: the rehearsal of the route, with the part as the plan places it on the table.
"""

import sys

from truegauge import demo
from truegauge.api import machines, plans
from truegauge.api.running import begin
from truegauge.core.evaluation.choice import Choice
from truegauge.runs.events import StepEnded

SEEDS = 3
STEPS = 0  # of the route that are run; 0: all


def main() -> None:
    """Print seconds of each, and by how much they differ."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else SEEDS
    plan = plans.open_plan(demo.CMM_PLAN)
    plan.route(make=True, check=False)
    if STEPS:
        plan.set_route(plan.document.route.replace(steps=plan.document.route.steps[:STEPS]))
    rehearsed = plan.route(check=False).planned
    for seed in range(1, seeds + 1):
        with machines.stand_in(plan, seed=seed, up=(0.0, -1.0, 0.0)) as stand_in:
            drive, ended = stand_in._world.drive, []
            with machines.connect(port=stand_in.port) as machine:
                machine.qualify(plan, ask=stand_in.touch_sphere)
                machine.record = machine.record.replace(travel=stand_in._world.settings.travel)  # as the window has it
                rough = stand_in.machine_from_part.copy()
                rough[:3, 3] += (0.3, -0.2, 0.25)

                def told(event, drive=drive, ended=ended):
                    if isinstance(event, StepEnded):
                        ended.append((event.step, event.state, drive.spent))

                run = begin(machine.cmm, machine.record, plan, Choice(), None, machine_from_part=rough, tell=told)
                stated = run.program.seconds()
                begun = drive.spent
                run.go()
                whole = drive.spent - begun
                run.journal.end()
        before, took = begun, {}
        for step, state, at in ended:
            if state == "done":
                took[step] = at - before
            before = at
        both = [s for s in took if rehearsed.seconds_of(s) > 0]
        own, said = sum(took[s] for s in both), sum(rehearsed.seconds_of(s) for s in both)
        more = 100 * (own / said - 1)
        print(f"seed {seed}: {len(both)} steps rehearsed {said:.1f} s, run {own:.1f} s: {more:+.1f} %; "
              f"whole program told {stated:.1f} s, run {whole:.1f} s: {100 * (whole / stated - 1):+.1f} %")  # fmt: skip


if __name__ == "__main__":
    main()
