"""The evening: what was on, kept while it plays, and turned back afterwards.

States are kept, not what hands did: from a state, the show and the time the light
follows, whatever led there.
"""
