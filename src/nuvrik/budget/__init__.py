"""The sums: what the link file promises, term by term.

``stop`` is the one that matters most: how long after the last accepted frame every motor is at rest.
``trips`` are the odds that bad luck alone stops a machine, under the ``conditions`` of a medium, which
``seen`` takes from a capture. ``line`` has bytes, airtime, latency and steps; ``compare`` the same channels
in every style; ``clocks`` what a microcontroller's clock can do."""
