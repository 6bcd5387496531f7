"""The stand-in for a temperature gauge: air, part and device in turn, and the part follows the air."""

import time

from truegauge.devices.gauge_sim.gauge import GaugeStandIn
from truegauge.devices.live.client import LiveClient
from truegauge.devices.live.messages import Reading


def test_readings_come_in_turn_and_the_part_follows_the_air():
    gauge = GaugeStandIn(3, pace=0)
    client = LiveClient("127.0.0.1", gauge.port)
    assert client.connect().device == "gauge"
    found, end = [], time.monotonic() + 120
    while len(found) < 60:
        assert time.monotonic() < end
        found += [e for e in client.events(0.5) if isinstance(e, Reading)]
    client.close()
    gauge.close()
    assert [r.seq for r in found] == list(range(1, len(found) + 1))
    assert [r.of for r in found[:6]] == ["air", "part", "device"] * 2
    of = {k: [r.value for r in found if r.of == k] for k in ("air", "part", "device")}
    assert all(15 < v < 27 for values in of.values() for v in values)
    assert abs(gauge.temperatures["air"] - gauge.temperatures["part"]) < abs(of["air"][0] - of["part"][0]) + 0.05
    assert max(of["device"]) - min(of["device"]) < 0.1
