"""What must fit together between the entries of a link file. ``check`` runs the rules, each a small generator
over a ``draft``, which may have holes.
"""
