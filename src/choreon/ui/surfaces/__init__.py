"""Surfaces: controllers, and what each part of them does."""
