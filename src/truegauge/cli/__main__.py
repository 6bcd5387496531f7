"""``python -m truegauge.cli``."""

from truegauge.cli.program import main

main()
