"""Compose: who, what, keep, with the lit stage in the middle."""
