"""Devices that give points: the protocol, and stand-ins."""
