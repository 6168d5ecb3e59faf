"""Things made of marks and spaces: durations in microseconds, a mark positive, a space negative.

``codes`` makes the published infrared codes and ``infrared`` reads them; ``shape`` and ``learn`` find out
what a remote sends, ``timings`` is the text they are kept in. ``train`` is the pulse train of radio gear,
``waves`` servo pulses and PWM, ``on_off_keyed`` bits for radio modules that know nothing but carrier on and
off. ``noise`` is what receivers and lamps do to all of them.
"""
