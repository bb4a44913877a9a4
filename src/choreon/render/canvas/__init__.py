"""Canvases: where cells lie, what is painted on them, and what that comes to."""
