"""A link as the whole numbers that the rules run on. Nowhere else is a link file made into tables.

Each function gives the table of one class in ``core``. What depends on a choice in the link file
(``recover``, ``arm = "none"``) is decided here, so that the rules need not ask.
"""

from nuvrik.plan.tables.failsafe import command_table, watch_table
from nuvrik.plan.tables.machine import desk_table, machine_table
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.outputs import (
    motor_table,
    outputs_table,
    pin_roles,
    pin_table,
    ramp_table,
    servo_table,
    stepper_table,
    switch_table,
)

__all__ = [
    "command_table",
    "desk_table",
    "machine_table",
    "made",
    "motor_table",
    "outputs_table",
    "pin_roles",
    "pin_table",
    "ramp_table",
    "servo_table",
    "stepper_table",
    "switch_table",
    "watch_table",
]
