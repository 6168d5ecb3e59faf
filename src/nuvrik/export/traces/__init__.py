"""Random lives of a link's machine, and all that can be seen of them, in every language that core runs in.

A *life* is a list of steps, each a list of a word and whole numbers (``docs/vectors.md``). ``driver`` makes
them, ``seen`` carries one out on a machine and says what can be seen afterwards, ``runners`` does so with
core as C and in MicroPython."""
