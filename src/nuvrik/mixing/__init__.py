"""Channels to demands.

``mix`` weighs channels into one level for each output; ``ramp`` decides how fast what turns may
follow and when it may reverse; ``motor`` and ``others`` turn the level reached into what a driver is
told; ``pins`` puts that into pin levels, in an order that never flips a direction under power.
"""
