"""Rig: the room, what hangs in it, and the addresses."""
