"""Whole link files at random: every kind of channel, output, mix, request and failsafe, on any medium."""

import random

import nuvrik

DRIVERS = ("pwm_2dir", "pwm_1dir", "two_pwm", "servo_pulse")


def random_link(rng: random.Random, **more: str) -> nuvrik.Link:
    """One that ``check`` has nothing against; ``more`` may ask for a ``style`` or a ``medium``."""
    while True:
        try:
            return nuvrik.parse(_text(rng, **more))
        except nuvrik.LinkFileError:
            continue


def _text(rng: random.Random, style: str = "", medium: str = "") -> str:
    medium = medium or rng.choice(("serial", "radio", "udp"))
    style = style or ("packed" if medium == "radio" else rng.choice(("packed", "packed", "slip")))
    armless = rng.random() < 0.15
    lines = [f'link = {{ name = "any{rng.randrange(100)}", rate_hz = {rng.choice((10, 25, 50, 100))} }}']
    lines.append("[medium]\n" + f'kind = "{medium}"' + ("\npayload_max = 200" if medium == "radio" else ""))
    lines.append(f'[frame]\nstyle = "{style}"\npair = {rng.randint(1, 255)}')
    if style in ("packed", "slip"):
        lines.append(f"lead_in = {rng.choice(('true', 'false'))}")
    levels, channels = [], []
    for at in range(rng.randint(1, 6)):
        kind = rng.choice(("level", "level", "level", "share"))
        name = f"c{at}"
        levels.append(name)
        optional = "optional = true\n" if rng.random() < 0.25 else ""
        channels.append(f'[channels.{name}]\nkind = "{kind}"\nbits = {rng.randint(3, 16)}\n{optional}')
    flags = [f"f{at}" for at in range(rng.randint(1, 3))]
    channels += [f'[channels.{name}]\nkind = "flag"\n' for name in flags]
    if rng.random() < 0.5:
        options = ", ".join(f'"o{at}"' for at in range(rng.randint(2, 20)))
        channels.append(f'[channels.pick]\nkind = "choice"\noptions = [{options}]\n')
    if rng.random() < 0.5:
        channels.append(f'[channels.tally]\nkind = "count"\nbits = {rng.randint(1, 16)}\n')
    if not armless:
        channels.append('[channels.arm]\nkind = "flag"\n')
    rng.shuffle(channels)
    lines += channels
    outputs, steppers, sides = [], [], []
    for at in range(rng.randint(1, 6)):
        name = f"m{at}"
        kind = rng.choice(("motor", "motor", "servo", "stepper", "switch"))
        text = f'[outputs.{name}]\nkind = "{kind}"\n' + _output(rng, kind)
        if kind == "switch":
            text += f'follows = "{rng.choice(flags)}"\n'
        elif kind == "motor" and rng.random() < 0.5:
            sides.append(name)
        else:
            some = rng.sample(levels, rng.randint(1, len(levels)))
            weights = ", ".join(f"{one} = {rng.choice((1.0, -1.0, 0.6, 2.0, -0.25))}" for one in some)
            text += f"mix = {{ {weights} }}\n"
        if kind == "stepper":
            steppers.append(name)
        outputs.append(text)
    lines += outputs
    if sides:
        lines.append(_mix(rng, sides, levels))
    recover = rng.choice(("rearm", "at_rest", "resume"))
    lines.append(
        f'[failsafe]\narm = "{"none" if armless else "arm"}"\ntimeout_ms = {rng.choice((200, 400, 1000))}\n'
        f'good_frames = {rng.choice((1, 3, 5))}\nrecover = "{recover}"\n'
        f"rest_band = {rng.choice((0.0, 0.02, 0.1))}"
    )
    if rng.random() < 0.4:
        lines.append(f"give_up_ms = {rng.choice((0, 500, 3000))}")
    if rng.random() < 0.7:
        lines += _backward(rng, steppers, list(range(len(outputs))))
    return "\n".join(lines)


def _output(rng: random.Random, kind: str) -> str:
    ramp = f"ramp_ms = {rng.choice((0, 1, 250, 1500))}\n"
    if kind == "switch":
        return f'on_loss = "{rng.choice(("off", "hold"))}"\nactive = "{rng.choice(("high", "low"))}"\n'
    reverse = f"reverse = {rng.choice(('true', 'false'))}\n"
    if kind == "servo":
        on_loss = rng.choice(("hold", "centre", "release", "preset"))
        return (
            ramp + reverse + f'on_loss = "{on_loss}"\nat_start = "{rng.choice(("silent", "centre"))}"\n'
            f"travel = {rng.choice(('[-1, 1]', '[-0.4, 0.9]'))}\npreset = {rng.choice((0.0, 0.5))}\n"
        )
    pause = f"reverse_pause_ms = {rng.choice((0, 120))}\n"
    if kind == "stepper":
        return ramp + reverse + pause + f"rate_max = {rng.choice((1, 50, 400, 65535))}\n"
    driver = rng.choice(DRIVERS)
    text = ramp + reverse + pause + f'driver = "{driver}"\nlimit = {rng.choice((0.6, 0.9, 1.0))}\n'
    text += f"start_duty = {rng.choice((0.0, 0.18, 0.5))}\n"
    if driver != "servo_pulse":
        text += f"duty_max = {rng.choice((15, 255, 65535))}\n"
        if rng.random() < 0.3:
            text += (
                f"hold_duty = 0.2\nhold_ms = {rng.choice((0, 300, 20000))}\n"
                f"hold_from_arming = {rng.choice(('true', 'false'))}\n"
            )
        if rng.random() < 0.3:
            text += "duty_curve = [[0.0, 0.0], [0.4, 0.2], [1.0, 1.0]]\n"
    if driver in ("pwm_2dir", "two_pwm"):
        text += f'idle = "{rng.choice(("coast", "brake"))}"\n'
        text += f'on_loss = "{rng.choice(("ramp", "off", "brake"))}"\n'
    return text


def _mix(rng: random.Random, sides: list[str], levels: list[str]) -> str:
    left, right = sides[::2], sides[1::2] or sides[:1]
    ends = f"left = {left}\nright = {right}\n".replace("'", '"')
    one, other = rng.choice(levels), rng.choice(levels)
    style = rng.choice(("one_stick", "two_stick", "pivot"))
    if style == "two_stick":
        return f'[mix]\nstyle = "two_stick"\nleft_throttle = "{one}"\nright_throttle = "{other}"\n{ends}'
    more = f'overflow = "{rng.choice(("clip", "scale"))}"\nturn_weight = {rng.choice((1.0, 0.6, -2.0))}\n'
    more = more if style == "one_stick" else ""
    return f'[mix]\nstyle = "{style}"\nthrottle = "{one}"\nturn = "{other}"\n{more}{ends}'


def _backward(rng: random.Random, steppers: list[str], outputs: list[int]) -> list[str]:
    lines = []
    for at in range(rng.randint(1, 5)):
        every = f"every_ms = {rng.choice((20, 100, 500))}\n"
        kind = rng.choice(("volts", "distance", "vector", "digital", "shaft", "demand"))
        more = {
            "volts": "range = [0, 12.75]\n" + f"bits = {rng.randint(2, 16)}\n",
            "distance": "range = [0.02, 4.0]\nraw = [20, 4000]\n",
            "vector": "",
            "digital": f'active = "{rng.choice(("high", "low"))}"\n',
            "shaft": f'of = "m{rng.choice(outputs)}"\nbits = {rng.randint(4, 16)}\n',
            "demand": f'of = "m{rng.choice(outputs)}"\n',
        }[kind]
        lines.append(f'[telemetry.t{at}]\nkind = "{kind}"\n{every}{more}')
    for name in steppers:
        lines.append(f'[requests.move_{name}]\nkind = "steps"\noutput = "{name}"\n')
        lines.append(f'[requests.home_{name}]\nkind = "home"\noutput = "{name}"\n')
    for at in range(rng.randint(0, 2)):
        lines.append(
            f'[requests.call{at}]\nkind = "call"\nmoves = {rng.choice(("true", "false"))}\n'
            f'args = {{ a = {{ kind = "integer", bits = {rng.randint(2, 16)} }}, b = {{ kind = "flag" }} }}\n'
        )
    return lines
