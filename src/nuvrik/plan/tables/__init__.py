"""A link as the whole numbers that the rules run on. Nowhere else is a link file made into tables.

Each function gives the table of one class in ``core``. What depends on a choice in the link file
(``recover``, ``arm = "none"``) is decided here, so that the rules need not ask.
"""
