"""The Devices stage: machine, probes, qualification; and touching features with them."""
