"""The public face: every job without a window, making plans included. ``import truegauge as tg`` gives its names."""
