"""Every job without a window: ``truegauge --help``."""

from truegauge.cli.program import app as app
from truegauge.cli.program import main as main
