"""Channels to demands.

``mix`` weighs channels into one level for each output, ``ramp`` decides how fast an output may
follow and when it may reverse, ``motor`` turns the level it has reached into duty and direction.
"""
