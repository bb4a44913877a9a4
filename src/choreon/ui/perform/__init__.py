"""Perform: pages of tiles, and what is on now."""
