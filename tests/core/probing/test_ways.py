"""Ways of a probe through what stands around it, judged by looking at every place of them densely."""

from itertools import pairwise

import numpy as np
import pytest

from truegauge.core.probing.assembly import Bodies, HeadPose
from truegauge.core.probing.clearance import ProbeShape, first_meeting, gap, probe_shape, room_of_each
from truegauge.core.probing.escape import DeadEnds, way_out
from truegauge.core.probing.obstacles import BoxObstacle, ParkedProbe, PartObstacle, UnlocatedPart
from truegauge.core.probing.records import Fixture, MachineRecord
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.standing import standing
from truegauge.core.probing.travel import NoWay, Surroundings, find_way
from truegauge.demo.cmm_plan import demo_probing

BALL = ProbeShape(np.zeros((1, 3)), np.array([1.0]), ("tip",))


def box(low, high, name="a box"):
    return BoxObstacle(name, np.array(low, dtype=float), np.array(high, dtype=float))


def room_of_box(points, low, high):
    """The distance to a box by its nearest place, written out again."""
    nearest = np.clip(points, low, high)
    return np.linalg.norm(points - nearest, axis=-1)


def least_room(shape, stops, boxes):
    """The least room on a way, looked at every 0.05 mm."""
    least = np.inf
    for a, b in pairwise(stops):
        count = int(np.linalg.norm(b - a) / 0.05) + 2
        at = a + np.linspace(0, 1, count)[:, None] * (b - a)
        for c, r in zip(shape.centers, shape.radii, strict=True):
            for o in boxes:
                least = min(least, float((room_of_box(at + c, o.low, o.high) - r).min()))
    return least


CAVE = (  # open only at x > 30, behind a step that leaves the middle of the opening shut
    box((-40, -40, 8), (30, 40, 12), "the roof"), box((-40, -40, -12), (60, 40, -8), "the floor"),
    box((-40, -40, -8), (-36, 40, 8), "the back"), box((-40, -44, -8), (60, -40, 40), "a side"),
    box((-40, 40, -8), (60, 44, 40), "a side"), box((20, -40, -8), (22, 20, 8), "a wall"),
    box((30, -40, 12), (32, 40, 60), "a rear wall"),
)  # fmt: skip


def test_a_probe_gets_out_of_a_cave_around_a_corner():
    start = np.zeros(3)
    assert first_meeting(BALL, start, np.array([0, 0, 90.0]), CAVE, 0.5) is not None
    stops = way_out(BALL, start, 90.0, CAVE, 0.5)
    assert stops is not None
    assert stops[-1][2] == 90.0
    assert least_room(BALL, [start, *stops], CAVE) > 0.5 - 0.06


SHUT = (*CAVE, box((56, -40, -8), (60, 40, 60), "a door"), box((28, -40, 40), (60, 40, 44), "a lid"))


def test_where_all_is_shut_there_is_no_way():
    assert way_out(BALL, np.zeros(3), 90.0, SHUT, 0.5) is None
    with pytest.raises(NoWay, match="no free way from where the stylus stands"):
        find_way(BALL, np.zeros(3), np.array([0, 0, 120.0]), Surroundings(SHUT, 90.0))


def test_a_dead_end_is_known_again_but_not_where_less_room_is_asked_for():
    dead, asked = DeadEnds(), []

    class Counted:
        name = "all"

        def distances(self, points, radii=0.0):
            asked.append(len(points))
            return np.min([o.distances(points) for o in SHUT], axis=0)

    assert way_out(BALL, np.zeros(3), 90.0, (Counted(),), 0.5, dead=dead) is None
    first = sum(asked)
    asked.clear()
    assert way_out(BALL, np.array([4.0, -9.0, 1.0]), 90.0, (Counted(),), 0.5, dead=dead) is None
    assert sum(asked) < first / 50
    asked.clear()
    assert way_out(BALL, np.array([4.0, -9.0, 1.0]), 90.0, (Counted(),), 0.2, dead=dead) is None
    assert sum(asked) > first / 10


@pytest.mark.parametrize("seed", range(12))
def test_no_way_that_is_found_meets_anything(seed):
    """Random boxes, a random probe; most ways are found, and all are free."""
    rng = np.random.default_rng(seed)
    boxes = []
    for _ in range(14):
        low = rng.uniform([-60, -60, -40], [40, 40, 20])
        boxes.append(box(low, low + rng.uniform(5, 30, 3)))
    shape = ProbeShape(rng.uniform([-6, -6, 0], [6, 6, 40], (8, 3)), rng.uniform(0.5, 3, 8), ("rod",) * 8)
    found = 0
    for _ in range(10):
        a, b = rng.uniform([-60, -60, -40], [60, 60, 30], (2, 3))
        around = Surroundings(tuple(boxes), 80.0)
        inside = min(float((room_of_box(p + shape.centers, o.low, o.high) - shape.radii).min())
                     for o in boxes for p in (a, b))  # fmt: skip
        if inside < 0.3:
            continue
        try:
            stops = find_way(shape, a, b, around)
        except NoWay:
            continue
        found += 1
        assert np.allclose(stops[-1], b)
        assert least_room(shape, [a, *stops], boxes) > 0
    assert found >= 2


def test_distances_of_boxes_are_those_of_their_nearest_place(rng):
    low, high = np.array([-3.0, 2, 5]), np.array([4.0, 9, 6])
    points = rng.uniform(-12, 18, (400, 3))
    found = box(low, high).distances(points)
    inside = ((points > low) & (points < high)).all(axis=1)
    assert np.allclose(found[~inside], room_of_box(points[~inside], low, high))
    assert (found[inside] < 0).all()


def with_a_probe_in_the_rack():
    probing = demo_probing()
    other, port = probing.assembly("p2"), np.array(probing.rack[1].place)
    return probing, probing.uses()[0], port, ParkedProbe(other.name, other.bodies(), port)


def test_travel_goes_over_the_probes_in_the_rack():
    """A way across the rack at a low height leads over it; the probe on the machine is not in its port."""
    probing, use, port, parked = with_a_probe_in_the_rack()
    room = ProbeRoom(probing, standing(MachineRecord()), None, above=40.0)
    assert [o.name for o in room.obstacles(use)] == [parked.name]
    a, b = port + np.array([150.0, 0, -60]), port + np.array([-120.0, -10, -60])
    place = room.shape(use)[1].center
    room.top = -400.0  # as low as the part and the sphere leave it: the rack stands higher
    stops = room.way(use, a + place, b + place, None, None)
    shape = room.shape(use)[0]
    for p, q in zip([a + place, *stops[:-1]], stops, strict=True):
        for t in np.linspace(0, 1, 200):
            at = p + t * (q - p) - place
            assert (parked.distances(shape.centers + at, shape.radii) - shape.radii).min() > 0
    alone = ProbeRoom(probing.replace(rack=()), standing(MachineRecord()), None, above=40.0)
    assert alone.obstacles(use) == ()


def test_what_stands_on_the_table_is_kept_away_from():
    fixture = Fixture(name="clamp", low=(10, 10, 0), high=(30, 20, 80))
    known = standing(MachineRecord(table_z=0.0, fixtures=(fixture,)))
    assert [o.name for o in known.obstacles] == ["the table", "clamp"]
    assert known.top == 80
    with pytest.raises(ValueError, match="clamp: in X, Y and Z the first corner must lie below the second"):
        Fixture(name="clamp", low=(10, 10, 0), high=(5, 20, 80))


def test_a_part_that_is_not_located_is_gone_over_but_around_the_sphere():
    probing = demo_probing()
    use = probing.uses()[0].replace(pose=HeadPose())
    center = np.array([600.0, 300.0, -640.0])
    known = standing(MachineRecord(table_z=-760.0), unlocated=180.0)
    room = ProbeRoom(probing, known, center, above=40.0)
    hidden = next(o for o in room.obstacles(use) if isinstance(o, UnlocatedPart))
    assert hidden.z == -580.0
    low = np.array([[600.0, 300, -700], [600 + hidden.radius + 5, 300, -700], [300, 300, -570]])
    assert np.sign(hidden.distances(low)).tolist() == [1, -1, 1]
    # The quill clears its top, though the sphere itself is lower.
    shape = room.shape(use)[0]
    assert room.safe_z(use) + (shape.centers[:, 2] - shape.radii).min() >= -580.0 + 39.9
    # Where the machine cannot go as high, it goes as high as it was seen to.
    low_room = ProbeRoom(probing, known, center, above=40.0, ceiling=-420.0)
    assert low_room.safe_z(use) == max(-420.0, ProbeRoom(probing, standing(MachineRecord(table_z=-760.0)), center,
                                                         above=40.0).safe_z(use))  # fmt: skip
    beside = center + np.array([hidden.radius + 60, 0, 5.0])
    with pytest.raises(NoWay, match="a part that is not located yet is in the way"):
        room.way(use, beside, center + np.array([0, 0, 40.0]), None, None)


def test_the_ball_of_a_head_holds_all_that_turns_in_every_pose(rng):
    for assembly in demo_probing().assemblies:
        pivot, radius = assembly.sweep()
        for _ in range(40):
            pose = HeadPose(tilt_deg=7.5 * int(rng.integers(0, 15)), turn_deg=7.5 * int(rng.integers(-24, 25)))
            moving = [s.center for s in assembly.styli(pose)]
            assert all(np.linalg.norm(c - pivot) < radius for c in moving)


def test_a_head_that_would_turn_into_the_rack_goes_aside_first():
    """The rack stands higher than the part and the sphere: what hangs there is kept away from while the head turns."""
    probing, use, port, parked = with_a_probe_in_the_rack()
    room = ProbeRoom(probing, standing(MachineRecord(table_z=-760.0)), None, above=40.0)
    room.top = -420.0  # the part and the sphere are lower than what hangs in the rack
    place = room.shape(use)[1].center
    start = np.array([port[0] + 70.0, port[1] - 60.0, -500.0])
    quill = room.way_up(use, start + place, None)[-1] - place
    for pose in probing.assembly(use.assembly).poses:
        shape = room.shape(use.replace(pose=pose))[0]
        assert (parked.distances(shape.centers + quill, shape.radii) - shape.radii).min() > 4.0
    assert np.linalg.norm(quill[:2] - start[:2]) > 5.0


@pytest.mark.parametrize("approach", [5.0, 60.0])
def test_what_is_to_be_kept_free_around_the_sphere_is_all_that_a_probe_needs(rng, approach):
    """By brute force: the probe at every side of the ball, as far away as it approaches from."""
    probing = demo_probing()
    probing = probing.replace(settings=probing.settings.replace(approach=approach))
    room = ProbeRoom(probing, standing(MachineRecord()), np.zeros(3), above=40.0)
    for use in probing.uses():
        shape, place = room.shape(use)
        directions = rng.normal(size=(400, 3))
        directions /= np.linalg.norm(directions, axis=1)[:, None]
        tips = (probing.sphere.radius + place.radius + approach + 2.0) * directions
        balls = (tips - place.center)[:, None, :2] + shape.centers[None, :, :2]
        needed = (np.linalg.norm(balls, axis=2) + shape.radii).max()
        assert needed < room.free_radius(use) < needed + 40


def test_the_room_of_large_balls_is_that_to_the_surface_not_to_the_box(model, projector, rng):
    """A head is as thick as a part is high: near the part its room is exact, far away never more than there is."""
    pose = np.eye(4)
    part = PartObstacle(projector, model.box, pose)
    low, high = model.box
    points = rng.uniform(low - 70, high + 70, (600, 3))
    radii = rng.uniform(0.5, 35, 600)
    found = room_of_each(points, radii, (part,))[0]
    true = projector.deviations(points).distance - radii
    near = true < 10
    assert near.sum() > 100
    assert np.allclose(found[near], true[near], atol=1e-9)
    assert (found <= true + 1e-9).all()


@pytest.mark.parametrize("seed", range(6))
def test_the_rims_of_a_head_meet_what_balls_within_it_miss(seed):
    """A box at the rim of a head's flat end, on its way: judged by points spread over the cylinder."""
    rng = np.random.default_rng([seed, 31])
    start, end, radius = np.zeros(3), np.array([0.0, 0.0, 60.0]), 30.0
    shape = probe_shape(Bodies(start[None], end[None], np.array([radius]), ("head",)))
    turn = rng.uniform(0, 2 * np.pi, 4000)
    side = np.column_stack([radius * np.cos(turn), radius * np.sin(turn), rng.uniform(0, 60, 4000)])
    seen = 0
    for _ in range(40):
        corner = np.array([radius * 0.93, 0.0, rng.uniform(-6.0, 4.0)])
        wall = box(corner - np.array([0, 50, 80]), corner + np.array([90, 50, 0]))
        aside = np.array([rng.uniform(-8, 8), 0.0, 0.0])
        depth = wall.distances(side + aside).min()
        room = gap(shape, aside, (wall,), 20.0)[0]
        assert room <= max(depth, 0.0) + 1e-6
        met = first_meeting(shape, aside + np.array([0, 0, 30]), aside, (wall,), 0.0)
        if depth < -0.5:
            seen += gap(ProbeShape(shape.centers, shape.radii, shape.owner), aside, (wall,))[0] > 0
            assert met is not None
            assert room < 0  # it is told as a collision, not as a touch
            assert wall.distances(side + met.at - np.array([0, 0, 0.5])).min() < 0.1
        elif depth > 0.5:
            assert room == pytest.approx(depth, abs=0.6)
            assert met is None
    assert seen  # what balls alone would have called free
