"""The sums: what the link file promises, term by term.

So far the one that matters most: how long after the last good frame every motor is at rest.
"""
