"""The device protocol: portable devices that stream what they measure over TCP, and lose nothing when the line does."""
