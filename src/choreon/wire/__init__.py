"""Bytes and devices: sACN out, MIDI in and out. Nothing here knows what a show is."""
