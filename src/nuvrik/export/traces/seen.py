"""One step of a life, and what can be seen of a machine after it. This file runs in MicroPython too.

``end`` is a core.loops.machine_end.MachineEnd, or the same in C. Nothing here decides anything.
"""

try:
    from typing import Any
except ImportError:
    Any = None  # type: ignore[assignment,misc]  # MicroPython has no typing, and looks at no annotation


def carry_out(end: "Any", step: "list[Any]") -> "list[int]":
    """Do what a step says; gives what comes back: what became of each frame, or the bytes that are sent."""
    word = step[0]
    if word == "turn":
        end.pass_time(step[1])
        end.turn()
    elif word == "stream":
        end.pass_time(step[1])
        return [event for event in [_told(end, end.take(byte), step) for byte in step[4]] if event]
    elif word == "slots":
        end.pass_time(step[1])
        return [event for event in [end.slot(length) for length in step[2]] if event]
    elif word == "skip":
        end.pass_time(step[1])
        end.skip(True)
        events = [event for event in [end.take(byte) for byte in step[2]] if event]
        end.skip(False)
        return events
    elif word == "packet":
        end.pass_time(step[1])
        end.begin_packet()
        for byte in step[4]:
            end.packet_byte(byte)
        return [event for event in [_told(end, end.end_packet(), step)] if event]
    elif word == "send":
        end.pass_time(step[1])
        if end.send():
            return list(end.sender.wire[: end.sender.count])
    elif word == "reading":
        end.pass_time(step[1])
        end.telling.take(step[2], step[3])
    elif word == "axes":
        end.pass_time(step[1])
        for axis in range(3):
            end.telling.take_axis(step[2], axis, step[3 + axis])
    elif word == "wish":
        end.machine.let_go()
        end.machine.wish(step[2], step[3])
    elif word == "over":
        end.machine.own_over(step[2], step[3])
    elif word == "expire":
        end.expire(step[1])
    elif word == "cap":
        return [int(end.cap(step[1], step[2]))]
    elif word == "own":
        end.own_stop(step[1])
    elif word == "halt":
        end.halt()
    elif word == "begin":
        end.begin(step[1], step[2], step[3])
    return []


def _told(end: "Any", event: int, step: "list[Any]") -> int:
    # The builder's own code says what the step says, whatever it is called for.
    if end.calls:
        end.calls = False
        end.machine.called(step[2], step[3])
    return event


def seen(end: "Any", kinds: "list[tuple[int, int]]") -> "list[int]":
    """All that can be seen: the state and why, what each output is told, its pin writes, how many frames have
    been accepted and refused. ``kinds`` are the kind and place of each output, as in its table."""
    watch = end.machine.watch
    outputs = end.machine.outputs
    found = [watch.state, watch.why, watch.place, watch.number, end.accepted, end.refused]
    for output, (kind, at) in enumerate(kinds):
        one = (outputs.motors, outputs.servos, outputs.steppers, outputs.switches)[kind][at]
        told = one.demand
        found += [told.at, told.value, told.way, int(told.driven), int(told.braked)]
        if kind == 2:
            found += [one.steps_left, one.whole, one.part]
        if not end.told:
            found.append(0)
            continue
        end.follow(output)
        writes = end.writes
        found.append(writes.count)
        for write in range(writes.count):
            found += [writes.pin[write], writes.level[write]]
    end.written()
    return found
