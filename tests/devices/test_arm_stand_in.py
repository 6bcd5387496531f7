"""The stand-in for an arm: its touches lie on the true part within what it states, and come once whatever happens."""

import threading
import time

import numpy as np
import pytest

from truegauge.core.arrays import unit
from truegauge.core.frames import apply, invert, rotate
from truegauge.demo.portable import bench_of
from truegauge.devices.arm_sim.hand import Hand
from truegauge.devices.arm_sim.settings import ArmFaults, ArmSettings
from truegauge.devices.arm_sim.world import ReachError
from truegauge.devices.live.client import LiveClient
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.live.faults import LINE_FAULTS
from truegauge.devices.live.messages import At, Touch
from truegauge.devices.protocol import PointBlock, Said

TOP, BORE = ((100.0, 15.0, 48.0), (0.0, 0.0, 1.0)), ((58.0, 66.0, 50.0), (0.0, -1.0, 0.0))


@pytest.fixture
def arm(model, evaluator):
    made = []

    def make(seed=5, faults=(), content=b"", **settings):
        bench = bench_of(model, evaluator.projector, content, seed)
        one = bench.arm(ArmSettings(**settings), ArmFaults.read(faults))
        made.append(one)
        return one

    yield make
    for one in made:
        one.close()


def places_on(model, count, seed):
    """Return places of plane faces, with their normals, out of the material."""
    rng, found = np.random.default_rng(seed), []
    mesh = model.mesh
    corners = mesh.vertices[mesh.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normals, axis=1)
    while len(found) < count:
        k = rng.choice(len(area), p=area / area.sum())
        found.append((corners[k].mean(axis=0), unit(mesh.normals[mesh.triangles[k]].mean(axis=0))))
    return found


def test_lengths_are_wrong_by_less_than_is_stated():
    """By definition: any two places, near and far, over many arms."""
    settings, worst = ArmSettings(), 0.0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        error = ReachError(settings, rng)
        a, b = rng.uniform(-0.57, 0.57, (2, 500, 3)) * settings.reach
        b[:250] = a[:250] + rng.normal(0, 40.0, (250, 3))
        off = np.linalg.norm(b + error.at(b) - a - error.at(a), axis=1) - np.linalg.norm(b - a, axis=1)
        stated = settings.constant + np.linalg.norm(b - a, axis=1) / 1000 * settings.per_metre
        worst = max(worst, float((np.abs(off) / stated).max()))
        near, far = error.at(a * 0.1), error.at(a)
        assert np.linalg.norm(near, axis=1).mean() < np.linalg.norm(far, axis=1).mean()
    assert 0.2 < worst < 1.0


@pytest.mark.parametrize("seed", range(4))
def test_touches_lie_on_the_true_part_by_the_radius_of_the_tip(arm, model, seed):
    one = arm(seed)
    world, client = one.world, LiveClient("127.0.0.1", one.port)
    client.connect()
    wanted = [p for p in places_on(model, 30, seed) if one.touch(*p) is not None]
    assert len(wanted) >= 15
    touches = []
    while len(touches) < len(wanted):
        touches += [e for e in client.events(0.2) if isinstance(e, Touch)]
    client.close()
    assert [t.seq for t in touches] == list(range(1, len(wanted) + 1))
    said = np.array([t.place for t in touches])
    true = said - world.error.at(said)
    off = world.part.distances(true) - one.settings.radius
    assert np.abs(off).max() < 6 * one.settings.noise
    assert np.linalg.norm(true, axis=1).max() < one.settings.reach
    # The tip drew back about square to what it touched, and it hit about where it should.
    pose = one.world.device_from_part
    for t, (place, out) in zip(touches, wanted, strict=True):
        assert np.array(t.out) @ rotate(pose, out[None])[0] > 0.8
        foot = np.array(t.place) - one.settings.radius * np.array(t.out)
        assert np.linalg.norm(apply(invert(pose), foot[None])[0] - place) < 8.0


def test_the_demo_part_is_touched_with_its_errors(model, evaluator):
    from truegauge import demo

    one = bench_of(model, evaluator.projector, demo.PART.read_bytes(), 3).arm()
    inside = np.array([[58.0, 60.0, 50.0]])
    # The main bore is 0.006 mm larger all around than designed.
    assert one.world.part.near(inside)[0] == pytest.approx(evaluator.projector.deviations(inside).distance[0] + 0.006)
    one.close()


def test_every_seed_is_another_arm_before_a_part_that_stands_elsewhere(arm):
    first, same, other = arm(1), arm(1), arm(2)
    assert np.array_equal(first.world.device_from_part, same.world.device_from_part)
    assert np.abs(first.world.device_from_part - other.world.device_from_part).max() > 10


def test_a_tip_goes_into_a_bore_and_one_that_is_too_big_does_not(arm):
    assert arm(3).touch(*BORE) == 1
    assert arm(3, radius=30.0).touch(*BORE) is None


def test_a_hand_moves_as_hands_do(arm):
    one = arm(4, pace=20.0)
    seen = []
    hand = Hand(one.world, lambda at, stem: seen.append((time.monotonic(), at)))
    began = hand.at
    assert hand.goes_and_touches(*map(np.array, TOP)) is not None
    places = np.array([at for _, at in seen])
    assert len(seen) > 10
    speeds = np.linalg.norm(np.diff(places, axis=0), axis=1) / (20 * np.maximum(np.diff([t for t, _ in seen]), 1e-3))
    assert speeds.max() < 4 * one.settings.speed  # a hand speeds up to about twice its mean
    assert np.linalg.norm(places[0] - began) < np.linalg.norm(places[len(places) // 2] - began)


def test_where_the_tip_is_comes_while_it_moves(arm):
    one = arm(4, pace=4.0)
    client = LiveClient("127.0.0.1", one.port)
    client.connect()
    touching = threading.Thread(target=one.touch, args=tuple(map(np.array, TOP)))
    touching.start()
    events, end = [], time.monotonic() + 120
    while not any(isinstance(e, Touch) for e in events):
        assert time.monotonic() < end
        events += client.events(0.05)
    client.close()
    touching.join()
    assert sum(isinstance(e, At) for e in events) >= 3


def test_a_push_and_a_chip_are_there_once(arm):
    pushed, plain = arm(6, ["moved@2x5"], noise=0.0, aim=0.0), arm(6, noise=0.0, aim=0.0)
    places = []
    for one in (pushed, plain):
        device = LiveDevice("127.0.0.1", one.port)
        device.connect()
        seqs = [one.touch(*map(np.array, TOP)) for _ in range(3)]
        while not device.has(seqs[-1]):
            time.sleep(0.01)
        blocks = [e for e in device.events() if isinstance(e, PointBlock)]
        places.append(np.vstack([b.places for b in blocks]))
        device.close()
    moved = places[0] - places[1]
    assert np.abs(moved[0]).max() < 0.5  # hands differ
    assert np.linalg.norm(moved[1]) > 2.0
    chip = arm(6, ["slip@1x0.8"])
    chip.touch(*map(np.array, TOP))
    client = LiveClient("127.0.0.1", chip.port)
    client.connect()
    touch = None
    while touch is None:
        touch = next((e for e in client.events(0.2) if isinstance(e, Touch)), None)
    client.close()
    said = np.array([touch.place])
    assert chip.world.part.distances(said - chip.world.error.at(said))[0] - chip.settings.radius == pytest.approx(
        0.8, abs=0.1
    )


@pytest.mark.parametrize("name", [n for n in LINE_FAULTS if n not in ("forget", "reset")])
def test_a_session_loses_nothing_and_doubles_nothing(arm, model, name):
    count = 8
    for at in range(1, count + 1):
        one = arm(7, [f"{name}@{at}x{30 if name == 'clock' else 0.2}"])
        device = LiveDevice("127.0.0.1", one.port)
        device.connect()
        places, words, made = [], [], 0
        for place, out in places_on(model, 14, 3):
            made += one.touch(place, out) is not None
            if made == count:
                break
        end = time.monotonic() + 120
        while len(places) < count:
            assert time.monotonic() < end, (name, at, len(places), words)
            for e in device.events():
                places += [tuple(p) for p in e.places.tolist()] if isinstance(e, PointBlock) else []
                words += [e.words] if isinstance(e, Said) else []
            time.sleep(0.005)
        assert len(set(places)) == count
        end = time.monotonic() + 120
        while one.server.unconfirmed and time.monotonic() < end:
            device.events()
            device.confirm(device.taken)
            time.sleep(0.01)
        device.close()


@pytest.mark.parametrize("text", ["moved", "what@3", "slip@x", "cut@", "moved@1x"])
def test_faults_that_cannot_be_are_said(text):
    with pytest.raises(ValueError, match="is no fault; known: moved, slip, cut"):
        ArmFaults.read([text])
