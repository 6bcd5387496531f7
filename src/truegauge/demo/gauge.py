"""The stand-in for a temperature gauge, as a program."""

from collections.abc import Callable

from truegauge.demo.serving import port_taken, serve
from truegauge.devices.gauge_sim.gauge import GaugeStandIn
from truegauge.devices.live.faults import LineFault


def run_gauge(
    seed: int, faults: list[LineFault], port: int, say: Callable[[str], None], *, pace: float, until_closed: bool
) -> None:
    """Run a gauge until it is stopped; first says its port, as a line of JSON (DeviceError: the port is taken)."""
    try:
        gauge = GaugeStandIn(seed, faults, port=port, pace=pace)
    except OSError as error:
        raise port_taken(f"port {port}", error) from error
    serve({"port": gauge.port}, say, until_closed=until_closed)
    gauge.close()
