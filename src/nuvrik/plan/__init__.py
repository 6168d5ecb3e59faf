"""The link file: one description from which both ends are built.

``form`` says what may be written, ``rules`` what must fit together, ``load`` reads a file and ``problems``
puts what is wrong with it into words. What follows from it: ``layout`` makes the tag by which two ends know
that they were built from the same file, ``wiring`` how channels reach outputs, ``words`` what it all means.
``starters/`` holds files to start from."""
