"""Core cut down to what one end of one link needs, as Python: for chips that keep programs in RAM.

It is the same text with three things done to it, over and over until nothing changes: what the tables of a
link say is put where it is asked for, what can never come to pass then is left out, and so is whatever
nobody asks for any more. Nothing is rewritten; what is left does what it did, step by step and to the bit,
and the traces hold it to that (``tests/test_traces.py``).

``kinds`` knows of which class everything is, ``fold`` does the first two, ``live`` the third, ``fitted``
turns them round and writes the modules."""
