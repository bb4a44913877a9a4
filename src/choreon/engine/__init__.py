"""The real-time process: clock, players, inputs, outputs, and the link to
the window.
"""
