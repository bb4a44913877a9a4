"""What a show is: frozen values, the checks on them, and edits as pure functions from
show to show.
"""
