"""A canvas that is open: its cells, its layers, painting."""
