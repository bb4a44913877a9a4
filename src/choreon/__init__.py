"""Choreon: stage lighting for the person who lights a small venue alone."""

__version__ = "0.1.0"
