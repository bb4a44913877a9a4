"""Help for whoever lights a show: pages about what is under the hand, all keys, and a
walk through the first evening.
"""
