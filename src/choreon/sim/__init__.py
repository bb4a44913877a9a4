"""Stand-ins for the outside world, so that everything can be tried with no device at
hand.
"""
