"""From the rules to other languages: the check of the subset, checked mode, and the translation to C99.

``program`` reads the modules of ``core``; ``values`` knows what C makes of an expression and which numbers it
can come to; ``to_c`` writes C from both; ``subset`` says what does not belong into core, and what to write
instead; ``checked`` runs core with every range asserted; ``native`` builds the C and lets Python call it.
"""
