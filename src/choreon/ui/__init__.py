"""The window: PySide6 widgets. It shows what the engine plays and computes no light
itself.
"""
