import itertools

import numpy as np
import pytest
from tests.devices.cmm_bench import pre_travel_fit, short_probing

from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import MachineRecord


def ended(job):
    job.run()
    return job


def test_diameters_and_offsets_are_the_true_ones_within_their_errors(bench):
    off = []
    for seed in range(3):
        made = bench(probing=short_probing(poses=5, touches=15), seed=seed)
        made.connect()
        done = ended(made.qualifying()).done
        assert [q.verdict for q in done] == ["good"] * 5
        off += _in_standard_errors(made, done)
    off = np.array(off)
    assert off.shape == (3 * (5 + 4 * 3),)
    assert (np.abs(off) < 3).mean() > 0.95
    assert np.abs(off).max() < 6
    assert np.sqrt(np.mean(off**2)) < 1.6


def _in_standard_errors(made, done):
    world = made.world
    own = made.probing.assembly("p1")
    sphere = world.sphere

    def truth(q):
        world.probe.take_pose(q.pose)
        place, nominal = world.probe.place(q.stylus), own.stylus(q.stylus, q.pose)
        shift, radius = pre_travel_fit(world, q)
        scales = sphere.center - nominal.center
        # Where the machine believes the sphere to be with this stylus, and how large.
        center = sphere.center - (place.center - nominal.center) + shift - world.error.at(scales)
        diameter = sphere.true_diameter + world.probe.diameter(q.stylus) + 2 * radius - made.probing.sphere.diameter
        return center, diameter, 1.5e-6 * np.linalg.norm(nominal.center + np.array([0, 0, 56.0]))

    master_center, diameter, lever = truth(done[0])
    found = [(done[0].diameter - diameter) / done[0].diameter_error]
    for q in done[1:]:
        center, diameter, lever = truth(q)
        error = np.sqrt(np.square(q.offset_errors) + np.square(done[0].offset_errors) + 2 * lever**2)
        found.append((q.diameter - diameter) / np.hypot(q.diameter_error, 2e-5))
        found += list((np.array(q.offset) - (master_center - center)) / error)
    return found


@pytest.mark.parametrize(("fault", "cause"), [
    ("bent-stylus", "loose or bent"), ("wrong-diameter", "wrong tip diameter"), ("dirty-sphere", "dirt"),
])  # fmt: skip
def test_faults_end_in_the_right_judgement(bench, fault, cause):
    made = bench(probing=short_probing(touches=12), faults=[fault])
    made.connect()
    job = made.qualifying()
    with pytest.raises(DeviceError, match="the master stylus is not good enough"):
        job.run()
    assert job.done[0].verdict == "stop"
    (likely,) = [what for what, _, likely in job.done[0].causes if likely]
    assert cause in likely


def test_after_a_refusal_the_stylus_is_touched_anew(bench):
    made = bench(probing=short_probing(touches=12), faults=["dirty-sphere"])
    made.connect()
    job = made.qualifying()
    with pytest.raises(DeviceError, match="the master stylus is not good enough"):
        job.run()
    made.world.clean()
    job.run()  # as it was told to do, and gone on with
    assert job.done[1].verdict == "good"
    assert job.done[1].residuals != job.done[0].residuals


def test_a_sphere_that_moves_during_the_run_is_found_out(bench):
    made = bench(probing=short_probing(poses=3), faults=["moved-sphere@20x0.2"])
    made.connect()
    job = made.qualifying()
    job.run()
    assert job.done[0].passes
    assert [q.verdict for q in job.done[1:]] == ["stop", "stop"]
    assert all("sphere moved" in next(w for w, _, likely in q.causes if likely) for q in job.done[1:])
    assert job.record.location.may_have_moved
    made.qualifying(record=job.record).run()
    assert "may have been moved" in made.asked[-1]


def test_a_sphere_moved_between_two_runs_is_named_by_styli_that_were_good(bench):
    made = bench(probing=short_probing(poses=2))
    made.connect()
    first = made.qualifying()
    first.run()
    made.world.move_sphere(np.array([0.3, 0.2, 0.0]))
    again = made.qualifying(uses=made.probing.uses()[1:], record=first.record)
    again.run()
    assert again.done[0].verdict == "stop"
    (likely,) = [what for what, _, likely in again.done[0].causes if likely]
    assert "the sphere moved" in likely


def test_only_what_is_asked_for_is_qualified_once_the_sphere_is_known(bench):
    made = bench(probing=short_probing(poses=3))
    made.connect()
    first = made.qualifying(uses=made.probing.uses()[:2])
    assert len(ended(first).done) == 2
    assert len(made.asked) == 1
    again = made.qualifying(uses=made.probing.uses()[2:], record=first.record)
    assert [q.pose for q in ended(again).done] == [made.probing.uses()[2].pose]
    assert len(made.asked) == 1


def test_all_touches_by_hand(bench):
    made = bench(probing=short_probing(touches=9, by="hand"))
    made.connect()
    made.spread = True
    (done,) = ended(made.qualifying()).done
    assert done.passes
    assert abs(done.diameter - 3.996) < 0.01
    assert len(made.asked) == 9
    assert "9 more touches by hand" in made.asked[0]


def test_touches_by_hand_that_lie_too_close_together_are_refused(bench):
    made = bench(probing=short_probing(touches=6, by="hand"))
    made.connect()
    job = made.qualifying()
    with pytest.raises(DeviceError, match=r"too close together|do not make a sphere|not good enough"):
        job.run()
    assert len(made.asked) == 6


def test_the_first_touch_by_hand_and_the_rest_by_machine(bench):
    made = bench(probing=short_probing(poses=2, by="first touch by hand"))
    made.connect()
    done = ended(made.qualifying()).done
    assert [q.verdict for q in done] == ["good", "good"]
    assert len(made.asked) == 2


def test_the_estimate_grows_with_styli_and_touches(bench):
    few, many = bench(probing=short_probing(poses=1)), bench(probing=short_probing(poses=5, touches=15))
    assert 10 < few.qualifying().seconds() < many.qualifying().seconds() < 1000


def test_a_plan_without_a_stylus_cannot_be_qualified(bench):
    made = bench()
    made.probing = made.probing.replace(assemblies=(), master=None, rack=())
    with pytest.raises(DeviceError, match="build a probe assembly first"):
        made.qualifying(uses=(StylusUse(assembly="x", stylus="y"),), record=MachineRecord())


def test_probes_and_poses_are_changed_as_seldom_as_can_be(bench):
    from truegauge.demo.cmm_plan import demo_probing

    probing = demo_probing()
    for master in (probing.uses()[0], next(u for u in probing.uses() if u.assembly == "p2")):
        own = probing.replace(master=master)
        made = bench(probing=own)
        uses = list(own.uses())
        np.random.default_rng(3).shuffle(uses)
        pending = [step.use for step in made.qualifying(uses=tuple(uses)).pending]
        assert pending[0] == master
        assert set(pending) == set(uses)
        changes = sum(a.assembly != b.assembly for a, b in itertools.pairwise(pending))
        turns = sum((a.assembly, a.pose) != (b.assembly, b.pose) for a, b in itertools.pairwise(pending))
        assert changes == 1
        assert turns == len({(u.assembly, u.pose) for u in uses}) - 1
