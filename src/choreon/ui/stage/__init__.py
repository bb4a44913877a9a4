"""Pictures of the stage: in perspective, from above, and small on cards. All drawn from
decoded frames.
"""
