"""Things made of marks and spaces: durations in microseconds, a mark positive, a space negative.

So far bits by on-off keying (``on_off_keyed``), for radio modules that know nothing but carrier on and off.
"""
