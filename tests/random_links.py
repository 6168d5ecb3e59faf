"""Whole link files at random: every kind of channel, output, mix, request and failsafe, on any medium."""

import random
from typing import Any

import nuvrik

DRIVERS = ("pwm_2dir", "pwm_1dir", "two_pwm", "servo_pulse")


def random_link(rng: random.Random, **more: Any) -> nuvrik.Link:
    """One that ``check`` has nothing against; ``more`` may ask for a ``style`` or a ``medium``."""
    while True:
        try:
            return nuvrik.parse(_text(rng, **more))
        except nuvrik.LinkFileError:
            continue


def _text(rng: random.Random, style: str = "", medium: str = "", hands: bool = False) -> str:
    medium = medium or rng.choice(("serial", "radio", "udp"))
    style = style or ("packed" if medium == "radio" else rng.choice(("packed", "packed", "slip")))
    medium = {"train": "pulses", "keys": "serial"}.get(style, medium)
    medium = "serial" if medium == "radio" and style not in ("packed", "slip") else medium
    armless = rng.random() < 0.15
    lines = [f'link = {{ name = "any{rng.randrange(100)}", rate_hz = {rng.choice((10, 25, 40))} }}']
    packet = f"\npayload_max = {rng.choice((200, 200, 32, 23))}" if medium == "radio" else ""
    lines.append(f'[medium]\nkind = "{medium}"{packet}')
    frame = f'[frame]\nstyle = "{style}"\n'
    if style != "train":
        frame += f"pair = {rng.randint(1, 255)}\n"
    check = rng.choice(("none", "xor8", "sum8", "crc8", "crc16"))
    if style not in ("packed", "slip"):
        lacks = ["no_sequence", "no_pair", "no_layout"]
        lacks += ["no_check"] if check == "none" or style not in ("line", "columns") else []
        frame += f"accept = {lacks}\n".replace("'", '"')
    if style in ("packed", "slip", "line", "columns"):
        frame += f"lead_in = {rng.choice(('true', 'false'))}\n"
    if style in ("line", "columns"):
        frame += _text_style(rng, style, check)
    levels, channels = [], []
    for at in range(rng.randint(3 if style == "train" else 1, 6)):
        kind = rng.choice(("level", "level", "level", "share"))
        name = f"c{at}"
        levels.append(name)
        optional = "optional = true\n" if rng.random() < 0.25 else ""
        channels.append(f'[channels.{name}]\nkind = "{kind}"\nbits = {rng.randint(3, 16)}\n{optional}')
    flags = [f"f{at}" for at in range(rng.randint(1, 3))]
    channels += [f'[channels.{name}]\nkind = "flag"\n' for name in flags]
    if rng.random() < 0.5:
        # A selector has three buttons.
        many = 3 if hands and rng.random() < 0.7 else rng.randint(2, 20)
        options = ", ".join(f'"o{at}"' for at in range(many))
        channels.append(f'[channels.pick]\nkind = "choice"\noptions = [{options}]\n')
    if rng.random() < 0.5:
        channels.append(f'[channels.tally]\nkind = "count"\nbits = {rng.randint(1, 16)}\n')
    if not armless:
        channels.append('[channels.arm]\nkind = "flag"\n')
    rng.shuffle(channels)
    if style in ("line", "columns"):
        frame += _fields(rng, channels)
    if style == "keys":
        frame += _keys(rng, channels, armless)
    if hands:
        controls, feeds = random_controls(rng, channels)
        channels = [one + feeds[name] for one, name in zip(channels, _names(channels, ""), strict=True)]
        lines += controls
    lines += [frame, *channels]
    outputs, steppers, sides = [], [], []
    mixed = rng.random() < 0.4
    for at in range(rng.randint(3 if mixed else 1, 6)):
        name = f"m{at}"
        kind = rng.choice(("motor", "motor", "servo", "stepper", "switch"))
        kind = "motor" if mixed and at < 2 else kind
        text = f'[outputs.{name}]\nkind = "{kind}"\n' + _output(rng, kind)
        if kind == "switch":
            text += f'follows = "{rng.choice(flags)}"\n'
        elif mixed and kind == "motor" and (at < 2 or rng.random() < 0.5):
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
        + ('\nstop = "stop"' if hands and rng.random() < 0.8 else "")
    )
    if rng.random() < 0.4:
        lines.append(f"give_up_ms = {rng.choice((0, 500, 3000))}")
    if rng.random() < 0.7 and style not in ("keys", "train"):
        if style in ("packed", "slip") and rng.random() < 0.5:
            lines.append(f"delay_guard_ms = {rng.choice((300, 1000, 5000))}")
        backward = _backward(rng, steppers, list(range(len(outputs))))
        if hands:
            backward = [_by_hand(rng, one, controls) for one in backward]
        lines = _with_inputs(rng, lines, backward)
        lines += [_against(rng, one, lines) for one in backward]
    return "\n".join(lines)


def _against(rng: random.Random, text: str, lines: list[str]) -> str:
    """Home is against an end, where what it turns has a switch there."""
    if not text.startswith("[requests.home_"):
        return text
    output = text.partition('output = "')[2].partition('"')[0]
    about = next(one for one in lines if one.startswith(f"[outputs.{output}]"))
    ways = [way for way in ("forward", "backward") if f"end_{way} = " in about]
    return text + (f'against = "{rng.choice(ways)}"\n' if ways and rng.random() < 0.7 else "")


def _by_hand(rng: random.Random, text: str, controls: list[str]) -> str:
    """Some requests are started by a button or a key, and pass on what it says."""
    pressed = [one for one in controls if _kind_of(one) in ("button", "key")]
    if not text.startswith("[requests.") or not pressed or rng.random() < 0.4:
        return text
    name = rng.choice(pressed).partition("[controls.")[2].partition("]")[0]
    speed = f"speed = {rng.choice((0, 30))}" if "speed = true" in text else ""
    steps = f"steps = {rng.choice((-300, 0, 7))}" + (f", {speed}" if speed else "")
    given = {"steps": f"{{ {steps} }}", "home": f"{{ {speed} }}", "routine": "{}"}
    args = given.get(_kind_of(text), f"{{ a = {rng.choice((-2, 0, 1))}, b = {rng.randint(0, 1)} }}")
    head, _, rest = text.partition("\n")
    return f'{head}\nwhen = "{name}"\nwhen_args = {args}\n{rest}'


def _with_inputs(rng: random.Random, lines: list[str], backward: list[str]) -> list[str]:
    """Some of the telemetry acts at the machine."""
    kinds = {f"t{at}": _kind_of(one) for at, one in enumerate(backward) if one.startswith("[telemetry.")}
    digital = [name for name, kind in kinds.items() if kind == "digital"]
    scaled = [name for name, kind in kinds.items() if kind in ("volts", "distance")]
    volts = [name for name, kind in kinds.items() if kind == "volts"]
    made = []
    for one in lines:
        if one.startswith("[outputs.") and _kind_of(one) in ("motor", "stepper") and rng.random() < 0.5:
            one += f'end_forward = "{rng.choice(digital)}"\n' if digital and rng.random() < 0.5 else ""
            one += f'end_backward = "{rng.choice(digital)}"\n' if digital and rng.random() < 0.5 else ""
            one += f'dial = "{rng.choice(scaled)}"\n' if scaled and rng.random() < 0.3 else ""
        if one.startswith("[failsafe]"):
            one += f'\nstop_switch = "{rng.choice(digital)}"' if digital and rng.random() < 0.1 else ""
            if volts and rng.random() < 0.3:
                low = f'of = "{rng.choice(volts)}", below = 6, to = {rng.choice((0, 0.5))}'
                one += f"\nlow_battery = {{ {low}, for_ms = {rng.choice((0, 300))} }}"
        made.append(one)
    return made


def _text_style(rng: random.Random, style: str, check: str) -> str:
    end = rng.choice(("\\n", "\\r\\n", ";", "$$", "\\r\\r\\n"))
    text = f'check = "{check}"\nend = "{end}"\ntag = "{rng.choice(("", "M", "go "))}"\n'
    text += f'stop = "{rng.choice(("!", "halt", ""))}"\n'
    if style == "line":
        text += f'separator = "{rng.choice((",", ", ", "|", "--x"[2:]))}"\n'
        text += f'spaces = "{rng.choice(("refuse", "ignore"))}"\n'
        text += f'missing = "{rng.choice(("refuse", "no_reading"))}"\n'
    return text


def _names(channels: list[str], *kinds: str) -> list[str]:
    return [
        one.split("]")[0].removeprefix("[channels.")
        for one in channels
        if any(not kind or f'kind = "{kind}"' in one for kind in kinds)
    ]


def _fields(rng: random.Random, channels: list[str]) -> str:
    made = []
    for name in _names(channels, "level", "share"):
        decimals = rng.choice((0, 0, 1, 4))
        low, high = rng.choice(((-1000, 1000), (0, 180), (180, 0), (-1, 1), (6, -0.5), (0, 6.5), (-3, 3.5)))
        if decimals == 0:
            low, high = int(low), int(high)
        if rng.random() < 0.7 and abs(high - low) * 10**decimals < 65536:
            width = rng.choice((0, 0, 7, 12))
            ends = f"range = [{low}, {high}], decimals = {decimals}, width = {width}"
            made.append(f"{name} = {{ {ends} }}")
    return f"fields = {{ {', '.join(made)} }}\n"


def _keys(rng: random.Random, channels: list[str], armless: bool) -> str:
    levels, flags = _names(channels, "level", "share"), _names(channels, "flag")
    rest = ", ".join(f"{name} = 0" for name in levels)
    keys = ['" " = { stop = true }'] if rng.random() < 0.8 else []
    keys += [f'"x" = {{ set = {{ {"" if armless else "arm = 0, "}{rest} }} }}']
    keys.append(f'"a" = {{ set = {{ {"" if armless else "arm = 1, "}{rest} }} }}')
    for key in "wsedqz"[: rng.randint(2, 6)]:
        name = rng.choice(levels)
        act = rng.choice(("set", "add"))
        keys.append(f'"{key}" = {{ {act} = {{ {name} = {rng.choice((1, 0.5, 0.1))} }} }}')
    keys.append(f'"f" = {{ set = {{ {flags[0]} = 1 }} }}')
    return f"keys = {{ {', '.join(keys)} }}\n"


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
        speed = rng.choice(("", "", "speed = true\n"))
        lines.append(f'[requests.move_{name}]\nkind = "steps"\noutput = "{name}"\n{speed}')
        lines.append(f'[requests.home_{name}]\nkind = "home"\noutput = "{name}"\n{speed}')
    if rng.random() < 0.4:
        lines.append(_routine(rng, outputs))
    for at in range(rng.randint(0, 2)):
        lines.append(
            f'[requests.call{at}]\nkind = "call"\nmoves = {rng.choice(("true", "false"))}\n'
            f'args = {{ a = {{ kind = "integer", bits = {rng.randint(2, 16)} }}, b = {{ kind = "flag" }} }}\n'
        )
    return lines


def _routine(rng: random.Random, outputs: list[int]) -> str:
    steps = []
    for _ in range(rng.randint(1, 4)):
        moved = rng.sample(outputs, rng.randint(1, len(outputs)))
        # Whole levels suit switches too.
        levels = ", ".join(f"m{at} = {rng.choice((0, 1))}" for at in moved)
        steps.append(f"{{ for_ms = {rng.choice((20, 90, 300))}, levels = {{ {levels} }} }}")
    times = rng.choice((1, 3))
    return f'[requests.dance]\nkind = "routine"\ntimes = {times}\nsteps = [{", ".join(steps)}]\n'


def random_controls(rng: random.Random, channels: list[str]) -> tuple[list[str], dict[str, str]]:
    """Controls of every kind, and what each channel takes of them."""
    texts: list[str] = []
    sticks = [_stick(rng, texts, at) for at in range(rng.randint(2, 5))]
    buttons = [_button(rng, texts, at) for at in range(rng.randint(4, 7))]
    made = []
    for at in range(rng.randint(0, 3)):
        one, other, third = rng.sample(buttons, 3)
        kind = rng.choice(("rocker", "nudge", "selector"))
        more = {
            "rocker": f'plus = "{one}"\nminus = "{other}"\n',
            "nudge": f'up = "{one}"\ndown = "{other}"\nstep = {rng.choice((0.1, 0.5, 1.0))}\n'
            + (f'back = "{third}"\n' if rng.random() < 0.5 else "")
            + rng.choice(("", "low = -0.4\nhigh = 0.9\nstart = 0.2\n")),
            "selector": f'buttons = ["{one}", "{other}", "{third}"]\nvalues = [-1.0, 0.0, 0.7]\n'
            f"start = {rng.randrange(3)}\n",
        }[kind]
        texts.append(f'[controls.made{at}]\nkind = "{kind}"\n{more}')
        made.append((f"made{at}", kind))
    texts.append('[controls.arm_button]\nkind = "button"\n' + rng.choice(("", "toggle = true\n")))
    texts.append('[controls.stop]\nkind = "button"\n' + rng.choice(("", 'active = "low"\n')))
    rng.shuffle(texts)
    names = dict(zip(_names(channels, ""), map(_kind_of, channels), strict=True))
    scaled = sticks + [name for name, _ in made]
    selectors = [name for name, kind in made if kind == "selector"]
    feeds = {}
    for name, kind in names.items():
        if name == "arm":
            feeds[name] = 'from = "arm_button"\n'
        elif kind in ("level", "share"):
            feeds[name] = _feeds_scaled(rng, scaled, buttons)
        elif kind == "flag":
            stick = f'from = "{rng.choice(sticks)}"\nabove = {rng.choice((0.1, 0.5))}\n'
            feeds[name] = rng.choice((f'from = "{rng.choice(buttons)}"\n', stick))
        elif kind == "choice":
            feeds[name] = f'from = "{rng.choice(selectors)}"\n' if selectors else ""
        else:
            feeds[name] = f'from = "{rng.choice(buttons)}"\n'
    return texts, feeds


def _kind_of(channel: str) -> str:
    return channel.split('kind = "')[1].split('"')[0]


def _feeds_scaled(rng: random.Random, scaled: list[str], buttons: list[str]) -> str:
    several = rng.sample(scaled, min(len(scaled), rng.randint(2, 3)))
    weights = ", ".join(f"{name} = {rng.choice((1.0, -0.5, 0.3))}" for name in several)
    listed = ", ".join(f'"{name}"' for name in several)
    text = rng.choice(
        (
            f'from = "{rng.choice(scaled)}"\n',
            f'from = "{rng.choice(scaled)}"\n',
            f'from = [{listed}]\nrule = "{rng.choice(("priority", "first", "sum"))}"\n',
            f"weights = {{ {weights} }}\n",
            f'from = "{rng.choice(buttons)}"\nwhen_on = {rng.choice((1.0, 0.4))}\n',
        )
    )
    if rng.random() < 0.3:
        text += f'multiplied_by = "{rng.choice(scaled)}"\n'
    if rng.random() < 0.3:
        text += f'slow_when = "{rng.choice(buttons)}"\nslow_to = 0.3\n'
    if rng.random() < 0.3:
        text += f'preset_when = "{rng.choice(buttons)}"\npreset = {rng.choice((-0.5, 0.0, 1.0))}\n'
    return text


def _stick(rng: random.Random, texts: list[str], at: int) -> str:
    name, kind = f"stick{at}", rng.choice(("axis", "axis", "slider"))
    ends = rng.choice(((0, 508, 1023), (1023, 500, 10), (-60, 0, 60), (0, 0, 1023), (-32000, 5, 33000)))
    raw = [*ends] if kind == "axis" else [ends[0], ends[2]]
    text = f'[controls.{name}]\nkind = "{kind}"\nraw = {raw}\ndead_zone = {rng.choice((0.0, 0.04, 0.9))}\n'
    text += rng.choice(
        ("", "expo = 0.3\n", "expo = 1.0\n", "curve = [[-1.0, -1.0], [0.2, 0.0], [1.0, 0.9]]\n")
    )
    text += rng.choice(("", "reverse = true\n")) + rng.choice(("", "trim = 0.1\n", "ignore = [0, 1023]\n"))
    text += rng.choice(("", "", "smooth_ms = 300\n", "smooth_ms = 2000\n")) + rng.choice(
        ("", "ramp_ms = 700\n")
    )
    text += f"stale_ms = {rng.choice((60, 500, 30000))}\n"
    if kind == "axis":
        text += rng.choice(("", "", 'on_release = "hold"\n'))
    texts.append(text)
    return name


def _button(rng: random.Random, texts: list[str], at: int) -> str:
    name = f"button{at}"
    if rng.random() < 0.3:
        text = f'[controls.{name}]\nkind = "key"\nchar = "{chr(97 + at)}"\n'
        text += f'repeat = "{rng.choice(("every", "first"))}"\n'
    else:
        text = f'[controls.{name}]\nkind = "button"\ndebounce_ms = {rng.choice((0, 20, 50))}\n'
        text += rng.choice(("", 'active = "low"\n')) + f"stale_ms = {rng.choice((60, 500))}\n"
    if rng.random() < 0.3:
        text += "toggle = true\n" + (f'off_by = "button{at - 1}"\n' if at and rng.random() < 0.6 else "")
    texts.append(text)
    return name
