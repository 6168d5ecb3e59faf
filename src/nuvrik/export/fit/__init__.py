"""Core cut down to what one end of one link needs, as Python: for chips that keep programs in RAM.

It is the same text with a few things done to it, over and over until nothing changes: what the tables of a
link say is put where it is asked for, what can never come to pass then is left out, and so is whatever nobody
asks for any more; a routine that is called in one place only is put there. What is left does what all of it
did, step by step and to the bit, and the traces hold it to that (``tests/test_traces.py``, ``test_fit.py``).

``kinds`` knows of which class everything is; ``fold`` puts in what is known and leaves out what cannot be,
``live`` what nobody asks for; ``inline`` puts routines in their place, ``cached`` objects in locals.
``fitted`` turns these round and writes the modules, ``tables`` writes what is left of the tables,
``merged`` makes one module of several, ``plain`` takes out what only people read. ``trees`` has what
several of them share."""
