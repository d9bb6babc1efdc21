"""What is wrong with a panel: a ladder of rungs, from the host to the glass, that stops at the first that fails.

`ladder` climbs it for a panel of a hookup, `finder` for a board of which nothing is known. `prober` has what both do to
a controller that can be read, `eyes` what only a user can see, and `report` what can be pasted into a forum.
"""
