"""The link file: one description from which both ends are built.

``models`` says what may be written (``media``, ``frames``, ``controls``, ``channels``, ``outputs`` and
``backward`` section by section), ``load`` reads it, ``check`` holds the rules between entries,
``problems`` puts what is wrong into words, ``layout`` makes the tag by which two ends know that
they were built from the same file, and ``starters/`` holds files to start from.
"""
