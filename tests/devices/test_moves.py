"""No move of a run meets anything that is known; after a stop or a collision a probe gets out the way it came."""

from dataclasses import replace

import numpy as np
import pytest
from tests.devices.cmm_bench import DEMO, NOW, SHORT, Bench, short_probing, touches

from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.obstacles import PartObstacle
from truegauge.core.probing.probing import Probing, QualificationSettings, StylusUse
from truegauge.core.probing.records import MachineRecord
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.core.probing.standing import Standing, standing
from truegauge.core.routes.document import MeasureStep, Route, step_id
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.strategies import Usual
from truegauge.demo.faces import housing_faces
from truegauge.devices.cmm_sim.build import PartToPlace
from truegauge.devices.made_part import MadePart
from truegauge.formats.catalogue import own_catalogue
from truegauge.runs.events import SphereLocated, when
from truegauge.runs.routing import Router
from truegauge.runs.touching import Touching


def star(poses, ends=("ball-m2-2-20",) * 5, extension=True):
    """Return an assembly with a star of styli on an indexed head."""
    catalogue = own_catalogue()
    made = ProbeAssembly(id="s1", name="Star")
    chain = ["head-indexed", "trigger-m2", *(["stylus-extension-m2-30"] if extension else []), "star-m2"]
    for name in chain:
        on, end, _ = made.free_ends()[0]
        made = made.with_component(catalogue.component(name), on, end)
    for name in ends:
        on, end, _ = made.free_ends()[0]
        made = made.with_component(catalogue.component(name), on, end)
    return made.with_poses(poses)


def star_probing(poses, sphere, **more):
    own = star(poses, **more)
    uses = [StylusUse(assembly="s1", stylus=s.id, pose=poses[0]) for s in own.styli()]
    down = max(uses, key=lambda u: -own.stylus(u.stylus, u.pose).direction[2])
    settings = QualificationSettings(touches=5, two_passes=False)
    return Probing(assemblies=(own,), master=down, sphere=sphere, settings=settings)


@pytest.mark.parametrize("seed", range(5))
def test_no_part_of_a_star_meets_the_sphere_that_its_tips_touch(seed):
    """Whatever the pose and the stem of the sphere: nothing but tips at touches."""
    rng = np.random.default_rng(seed)
    poses = [HeadPose(), *(HeadPose(tilt_deg=7.5 * rng.integers(0, 13), turn_deg=7.5 * rng.integers(-24, 25))
                           for _ in range(1))]  # fmt: skip
    sphere = ReferenceSphere(
        diameter=float(rng.choice([12.0, 20.0, 25.0, 30.0])), stem_tilt_deg=float(rng.choice([0, 30, 90])),
        stem_turn_deg=float(rng.uniform(0, 360)), stem_diameter=float(rng.uniform(4, 9)),
    )  # fmt: skip
    sizes = ["ball-m2-2-20", "ball-m2-3-20", "ball-m2-1-20", "ball-m2-4-30"]
    probing = star_probing(tuple(dict.fromkeys(poses)), sphere, ends=tuple(rng.choice(sizes, 5)),
                           extension=bool(rng.integers(2)))  # fmt: skip
    made = Bench(probing=probing, seed=seed)
    met, collide = [], made.world._collide

    def noted(part, obstacle):
        met.append((part, obstacle))
        collide(part, obstacle)

    made.world._collide = noted
    try:
        made.world.mount("Star")
        made.connect()
        good = refused = 0
        record = None
        for use in (probing.master, *probing.uses()):
            job = made.qualifying(uses=(use,), record=record)
            job._known = Standing((made.world.table,))
            try:
                job.run()
                good += 1
            except DeviceError as error:
                # Too little of the sphere is free for it, or no way leads there: said before anything is met.
                assert any(w in str(error) for w in ("in the way", "no free way", "beyond the travel")), str(error)
                refused += 1
            record = job.record
        assert not met, met
        assert good >= refused
    finally:
        made.close()


def touched_by(*asked):
    """Return a route over features: name, touches, stylus (None: any)."""
    return Route(steps=tuple(
        MeasureStep(id=step_id(name), feature=name, strategy=Usual(touches=count), stylus=use)
        for name, count, use in asked
    ))  # fmt: skip


@pytest.fixture
def touching(model, evaluator):
    """A stand-in with the housing, and a run over two features of it."""
    probing = short_probing(touches=5, two_passes=False)
    route = touched_by(("main-bore", 6, None), ("top", 3, None))
    made = Bench(probing=probing, part=PartToPlace(model, evaluator.projector, np.array([0.0, 0, 1.0])))
    made.connect()
    qualifying = made.qualifying()
    qualifying.run()
    center = np.array(qualifying.record.location.center)
    pose = made.world.part.machine_from_part
    router = Router(model, evaluator.projector, pose, probing, lambda use: True, center, route=route)
    wanted = tuple(
        FeatureToTouch(name, name, (face,), evaluator.nominal((face,)))
        for name, face in housing_faces(model).items() if name in ("main-bore", "top")
    )  # fmt: skip
    touched = []
    job = Touching(made.cmm, router, qualifying.record, wanted, touches(touched.append), lambda: NOW)
    yield made, job, touched, router
    made.close()


def heights(made, router):
    use = made.cmm.use
    place = router.room.shape(use)[1]
    return made.world.place()[2] - place.center[2], router.room.safe_z(use)


def test_a_run_ends_over_the_part(touching):
    made, job, touched, router = touching
    job.run()
    assert len(touched) == 9
    quill, safe = heights(made, router)
    assert quill >= safe - 0.2


def test_the_time_left_is_about_that_of_the_machine(touching):
    """By the clock of the stand-in, which runs at its own pace: what was stated before, and what it took."""
    made, job, *_ = touching
    stated, began = job.seconds(), made.world.drive.spent
    job.run()
    took = made.world.drive.spent - began
    assert took > 10.0
    assert stated == pytest.approx(took, rel=0.35)
    assert job.seconds() == 0.0


def test_the_time_of_qualifications_is_about_that_of_the_machine(bench):
    made = bench(probing=short_probing(poses=3, touches=9))
    made.connect()
    first = made.qualifying()
    first.run()  # the sphere is located
    run = made.qualifying(record=first.record)
    stated, began = run.seconds(), made.world.drive.spent
    run.run()
    assert stated == pytest.approx(made.world.drive.spent - began, rel=0.4)


def test_after_a_collision_the_first_move_is_back_along_the_way_it_came(touching):
    made, job, touched, _ = touching
    world = made.world
    away = world.sphere.center.copy()
    names = []

    def in_the_way(touch):
        touched.append(touch)
        names.append(touch.feature)
        if len(touched) == 2:
            there = job.waiting[0].places.points[2]
            out = job.waiting[0].places.normals[2]
            world.move_sphere(there + 14.5 * out - world.sphere.center)

    job.tell = touches(in_the_way)
    with pytest.raises(DeviceError, match="met the reference sphere"):
        job.run()
    stands = world.drive.scales.copy()
    assert world.fault_text
    moves = []
    travel = world.travel

    def noted(quill):
        moves.append(quill.copy())
        travel(quill)

    world.travel = noted
    world.move_sphere(away - world.sphere.center)
    made.cmm.clear_errors()
    job.run()
    assert len(touched) == 9
    # Back first, not up from where it stood.
    assert np.linalg.norm(moves[0] - stands) > 0.05
    came = moves[0] - stands
    assert len({t.place for t in touched}) == 9
    assert abs(came[2]) < np.linalg.norm(came) * 0.999 or names[0] == "top"


@pytest.mark.parametrize("k", range(4))
def test_a_run_that_is_stopped_anywhere_goes_on_without_meeting_anything(touching, k):
    """Stops at random moments of moves and touches: the program forgets nothing, the probe meets nothing."""
    made, job, touched, _ = touching
    rng = np.random.default_rng(k)
    world = made.world
    run_to = world.drive.run_to
    left = [int(rng.integers(1, 12))]

    def half_way(quill, speed):
        left[0] -= 1
        if left[0] == 0:
            left[0] = int(rng.integers(4, 14))
            run_to(world.drive.scales + rng.uniform(0.05, 0.95) * (quill - world.drive.scales), speed)
            world.drive.stop.set()
        run_to(quill, speed)

    world.drive.run_to = half_way
    for _ in range(40):
        try:
            job.run()
            break
        except DeviceError as error:
            assert "stopped by the user" in str(error), str(error)
    assert len(touched) == len({t.place for t in touched}) == 9
    assert not job.left
    assert not world.fault_text


def test_a_sphere_that_moved_stays_so_in_what_is_kept():
    made = Bench(probing=short_probing(poses=3), faults=["moved-sphere@20x0.2"])
    made.connect()
    job = made.qualifying()
    told = []
    operator, located = job.tell, when(SphereLocated, lambda event: told.append(event.location))
    job.tell = lambda event: (operator(event), located(event))
    job.run()
    assert told[-1].may_have_moved
    assert job.record.location == told[-1]
    made.close()


def test_a_part_beside_the_sphere_is_gone_around(model, evaluator):
    """Where the part is known to lie it is in nobody's way, however near to the sphere it stands."""
    probing = short_probing(poses=3, touches=5, two_passes=False)
    made = Bench(probing=probing, part=PartToPlace(model, evaluator.projector, np.array([0.0, 0, 1.0])))
    world = made.world
    # The part stands 25 mm from the ball, between it and where the probe comes from.
    beside = world.part.machine_from_part.copy()
    corner = beside[:3, :3] @ model.box[1]
    beside[:3, 3] = world.sphere.center + np.array([-25.0 - abs(corner[0]), -40.0, -20.0])
    world.part = MadePart(evaluator.projector, model.box, beside)
    part = PartObstacle(evaluator.projector, model.box, beside)
    made.connect()
    job = made.qualifying()
    job._known = standing(MachineRecord(), part)
    job.run()
    assert [q.verdict for q in job.done] == ["good"] * 3
    assert not world.fault_text
    made.close()


def test_a_program_that_is_started_again_leaves_the_part_before_the_head_turns(model, evaluator):
    """The one before was ended with its stylus deep in the bore: nobody told the new one where it stands."""
    probing = short_probing(poses=3, touches=5, two_passes=False)
    made = Bench(probing=probing, part=PartToPlace(model, evaluator.projector, np.array([0.0, 0, 1.0])))
    made.connect()
    qualifying = made.qualifying()
    qualifying.run()
    pose = made.world.part.machine_from_part
    center = np.array(qualifying.record.location.center)
    faces = housing_faces(model)

    def run_over(name, use, stop_after):
        route = touched_by((name, 6, use))
        router = Router(model, evaluator.projector, pose, probing, lambda u: True, center, route=route)
        wanted = FeatureToTouch(name, name, (faces[name],), evaluator.nominal((faces[name],)))
        touched = []

        def told(touch):
            touched.append(touch)
            if len(touched) == stop_after:
                raise DeviceError("the program is ended")

        job = Touching(made.cmm, router, qualifying.record, (wanted,), touches(told), lambda: NOW)
        try:
            job.run()
        except DeviceError as error:
            assert "is ended" in str(error)
        return touched

    straight, across = probing.uses()[0], probing.uses()[2]
    assert len(run_over("main-bore", straight, 2)) == 2
    inside = made.world.place()
    assert inside[2] < pose[2, 3] + 60.0
    made.cmm.close()
    made.cmm = type(made.cmm)("127.0.0.1", made.stand_in.port)
    made.cmm.connect()
    assert made.cmm.use is None
    assert len(run_over("side-c", across, 99)) == 6
    assert not made.world.fault_text
    assert made.cmm.pose == across.pose
    made.close()


def two_probes():
    """The demo's two probes, both with a tilted pose that is the same."""
    tilted = HeadPose(tilt_deg=90.0, turn_deg=90.0)
    own = tuple(a.with_poses((HeadPose(), tilted)) for a in DEMO.assemblies)
    settings = QualificationSettings(touches=5, two_passes=False)
    return DEMO.replace(assemblies=own, settings=settings), tilted


def test_the_pose_of_a_head_is_asked_for_after_a_change_of_the_probe():
    """The new probe comes straight out of the rack, though the head was tilted before, as it is to be now."""
    probing, tilted = two_probes()
    made = Bench(probing=probing)
    made.connect()
    made.cmm.go_to(np.array([400.0, 400.0, -150.0]))
    made.cmm.take_stylus(probing, StylusUse(assembly="p1", stylus="c3", pose=tilted))
    made.cmm.take_stylus(probing, StylusUse(assembly="p2", stylus="c4", pose=tilted))
    assert made.world.probe.pose == tilted
    assert np.abs(made.cmm.where() - made.world.place()).max() < 1e-6
    made.close()


def test_a_change_that_is_stopped_half_way_leaves_no_wrong_belief():
    probing, _ = two_probes()
    made = Bench(probing=probing)
    made.connect()
    made.cmm.take_stylus(probing, StylusUse(assembly="p1", stylus="c3"))
    world, run_to = made.world, made.world.drive.run_to

    def stopped(quill, speed):
        if world.probe is not None and world.probe.assembly.name == "Long 3":
            world.drive.stop.set()  # the new one is on the quill, and it has not come up yet
        run_to(quill, speed)

    world.drive.run_to = stopped
    with pytest.raises(DeviceError):
        made.cmm.take_stylus(probing, StylusUse(assembly="p2", stylus="c4"))
    world.drive.run_to = run_to
    assert world.probe.assembly.name == made.cmm.mounted == "Long 3"
    assert made.cmm.use is None
    made.close()


def test_places_beyond_the_travel_are_left_out_and_the_others_go_on(touching):
    made, job, touched, _ = touching
    world = made.world
    far = float(world.part.machine_from_part[0, 3])
    low, high = world.settings.travel
    # The machine ends over the middle of the bore.
    reach = float(np.mean([p[0] for p in job.waiting[0].places.points])) - world.nominal_tip()[0]
    world.settings = replace(world.settings, travel=(low, (reach, *high[1:])))
    job.run()
    assert 0 < len(touched) < 9
    assert any("beyond the travel" in x.why for x in job.left), (far, job.left)
    assert not world.fault_text


def test_moves_look_again_by_another_way(benchmark):
    """A few whole sessions with stars, clamps, a rack and stops at random: no move meets the part, by two ways."""
    sessions = benchmark("sessions")
    parts = sessions.parts()
    made = [sessions.Session(seed, parts, again=True).run() for seed in (3, 121)]
    for outcome in made:
        assert not outcome.met
        assert not outcome.met_again
        assert not outcome.broken
    assert sum(o.touches for o in made) > 20
    assert sum(o.stops for o in made) > 10


def test_the_second_way_sees_a_probe_in_the_part(benchmark):
    sessions = benchmark("sessions")
    made = sessions.Session(3, sessions.parts(), again=True)
    probe = made.world.probe
    center = made.pose[:3, :3] @ made.model.box.mean(axis=0) + made.pose[:3, 3]
    above = center + np.array([0, 0, 300.0])
    made.moves = [(probe.assembly, probe.pose, above, center)]
    made._look_again()
    made.cmm.close()
    made.running.close()
    assert made.out.met_again


@pytest.mark.parametrize("seed", range(3))
def test_a_master_that_is_bent_does_not_move_the_sphere_for_the_others(seed):
    """Its touches agree, so that it locates the sphere elsewhere; the next stylus finds it where it was."""
    made = Bench(probing=short_probing(poses=3), seed=seed)
    made.connect()
    job = made.qualifying()
    job.run()
    record = job.record
    master, other = made.probing.master, made.probing.uses()[1]
    place = made.world.probe.place
    off = np.random.default_rng(seed).normal(0, 0.1, 3)

    def bent(stylus_id, **more):
        found = place(stylus_id, **more)
        return replace(found, center=found.center + off * (made.world.probe.pose == master.pose))

    made.world.probe.place = bent
    job = made.qualifying(uses=(master, other), record=record)
    with pytest.raises(DeviceError, match="it is the master that is bent or loose"):
        job.run()
    likely = [what for what, _, likely in job.done[-1].causes if likely]
    assert len(likely) == 1
    assert likely[0].startswith("the master stylus is loose or bent")
    assert job.record.location.may_have_moved
    made.close()


def test_a_sphere_that_was_moved_is_found_in_its_new_place_by_all():
    made = Bench(probing=short_probing(poses=3))
    made.connect()
    job = made.qualifying()
    job.run()
    made.world.move_sphere(np.array([0.2, -0.1, 0.05]))
    again = made.qualifying(record=job.record)
    again.run()
    assert [q.verdict for q in again.done] == ["good"] * 3
    assert not again.record.location.may_have_moved
    made.close()


def test_a_sphere_that_may_have_been_moved_is_still_kept_away_from():
    """Where it stands exactly is not known; that it stands about there is: the head does not turn into it."""
    probing = short_probing(poses=3, touches=5, two_passes=False)
    made = Bench(probing=probing)
    made.connect()
    job = made.qualifying()
    job.run()
    record = job.record.replace(location=job.record.location.replace(may_have_moved=True))
    straight, tilted = probing.uses()[:2]
    made.cmm.take_stylus(probing, straight)
    center = made.world.sphere.center
    made.cmm.go_to(center + np.array([40.0, 0, 60.0]))
    made.cmm.go_to(center + np.array([40.0, 0, 0.0]))
    heights, turn = [], made.world._turn_head

    def turned(pose):
        heights.append(made.world.drive.scales[2])
        turn(pose)

    made.world._turn_head = turned
    again = made.qualifying(uses=(tilted,), record=record)
    again.run()
    assert heights
    # The quill is so high that even the tilted probe is over the ball.
    assert min(heights) - 112.0 > center[2] + 12.5
    assert not made.world.fault_text
    made.close()


def test_a_head_tells_its_angles_with_what_its_encoders_add():
    probing, tilted = two_probes()
    made = Bench(probing=probing)
    made.connect()
    made.cmm.go_to(np.array([400.0, 400.0, -150.0]))
    answer = made.cmm.link.told

    def inexact(command, *names):
        named = answer(command, *names)
        if "Tool.A" in named:
            named = {**named, "Tool.A": (named["Tool.A"][0] - 0.013,), "Tool.B": (named["Tool.B"][0] + 0.02,)}
        return named

    made.cmm.link.told = inexact
    use = StylusUse(assembly="p1", stylus="c3", pose=tilted)
    made.cmm.take_stylus(probing, use)
    assert made.cmm.use == use
    made.cmm.where()
    assert made.cmm.pose == tilted
    made.close()


def test_a_head_left_in_a_pose_of_nobody_goes_up_before_it_turns():
    """A program before left it so: the plan has no such pose, but what it looks like in it is known."""
    probing = short_probing(poses=3, touches=5, two_passes=False)
    made = Bench(probing=probing)
    made.connect()
    job = made.qualifying()
    job.run()
    world = made.world
    made.cmm.take_stylus(probing, SHORT)
    world._turn_head(HeadPose(tilt_deg=30.0, turn_deg=45.0))
    beside = world.sphere.center + np.array([60.0, 0, 5.0])
    world.drive.scales = beside - world.nominal_tip()
    made.cmm.close()
    made.cmm = type(made.cmm)("127.0.0.1", made.stand_in.port)
    made.cmm.connect()
    heights, turn = [], world._turn_head

    def turned(pose):
        heights.append(world.drive.scales[2])
        turn(pose)

    world._turn_head = turned
    before = world.drive.scales[2]
    again = made.qualifying(uses=(probing.uses()[1],), record=job.record)
    again.run()
    assert heights[0] > before + 40
    assert not world.fault_text
    made.close()
