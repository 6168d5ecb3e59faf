"""The rules, in one text: CPython and MicroPython run these files as they are, and C is made from them.

How this works. Every module here is written in a small part of Python: whole numbers of a stated width, fixed
lists, records, and functions over them. ``make lint`` checks it (``export/subset.py``), the tests run it with
the range of every store asserted (``export/checked.py``), and ``export/to_c.py`` translates it to C99 line by
line. What the two ends have to agree on to the bit therefore stands in one place, and what was rehearsed is
what runs on the chip.

* A *table* is a record that never changes: what a link file comes to, made in one place (``plan/tables.py``)
  and kept in the flash of a chip. A class beside it has the state.
* There is no None, no string and no exception here. ``NO_READING`` is a level that no reading has; ``NOBODY``
  is the place of nothing. Words are made from numbers at the edge, in ``ends``.
* Time comes as ``dt_ms``, what has gone by since the call before, at most TIMER_MAX. Every timer counts up
  through ``levels.later``, which stops at TIMER_MAX, because 16 bits are what a small chip has; no limit
  in a link file is as long as that.

CONTRIBUTING explains the subset on one page, with the mistakes that its check finds.
"""
