"""The frame of the window: rail, header, actions, finder, files."""
