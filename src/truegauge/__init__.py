"""True Gauge: dimensional inspection on real geometry."""

__version__ = "0.1.0"
