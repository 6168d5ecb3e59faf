"""Draws docs/screenshots: commands in a terminal window on a virtual screen, and the demo's figures.

Needs xvfb, xterm and imagemagick (`make toolchain`). Everything shown is the demo data.
"""

import os
import random
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from panel_shots import shoot_panel

SHOTS = Path(__file__).parents[1] / "docs/screenshots"
BIN = Path(sys.executable).parent
SIZE = "1280x800"

TERMINALS = {
    "check": "nuvrik check tug.toml | head -28; nuvrik check broken.toml",
    "frames": "nuvrik encode tug.toml throttle=-0.35 arm=1 --seq 7; nuvrik inspect tug.toml capture.txt",
    "rehearse": "nuvrik rehearse tug.toml --loss 0.05 --runs 8 --jobs 2 | head -14; "
    "nuvrik rehearse tug.toml --every-state --most-states 150 | head -6; "
    "nuvrik rehearse tug.toml --fault cable_pulled --on avr --figure stop.png",
    "demo": "nuvrik demo --out crossing",
    "calibrate": "nuvrik record tug.toml --from marram-demo/sweep.csv --out seen.csv 2> /dev/null; "
    "nuvrik calibrate tug.toml marram-demo/sweep.csv --figure sweep.png; "
    "nuvrik calibrate boat.toml free.csv loaded.csv fouled.csv --output port_screw --figure motor.png",
    "jog": "printf 'n\\ny\\n' | nuvrik jog boat.toml winch --port sim:winch; "
    "nuvrik jog sweep.toml port_screw --port sim --sweep port.csv | tail -20; "
    "nuvrik ask panel.toml move steps=130 --port sim",
    "diagnosis": "nuvrik inspect panel.toml slow.bin --summary; "
    "nuvrik inspect panel.toml upside_down.bin --summary; "
    "nuvrik inspect panel.toml boot.txt --summary; nuvrik check vent.toml | grep -A 1 damaged",
    "hello": "nuvrik hello panel.toml --port sim; nuvrik inspect panel.toml --port sim --for-s 0.6; "
    "python drive_a_panel.py",
    "live": "grep -A 1 -B 2 FAILSAFE log.csv; nuvrik drive boat.toml --port sim --from boat.csv",
}
TERMINALS |= {
    "infrared": "nuvrik infrared learn presses.txt --write curtain.toml; "
    "nuvrik infrared make rc5 --address 5 --command 35; "
    "nuvrik infrared read presses.txt | head -5; nuvrik rehearse curtain.toml",
    "budget": "nuvrik budget boat.toml --loss 0.1 --burst-loss 0.1; "
    "nuvrik clock --hz 500000 --pwm 50 --prescalers 16; "
    "nuvrik clock --hz 16000000 --instead-hz 8000000 --uart 57600 --pwm 980 --servo 50 --bits 16",
}
STACKED = {
    "calibration": ("sweep.png", "motor.png"),
    "frame": ("marram-demo/frame.png", "capture.png"),
    "board": ("wires.png", "stop.png"),
    "pulses": ("waveform.png", "waves.png", "on_off_keyed.png"),
    "budget": ("budget.png", "timeout.png"),
    "session": ("marram-demo/session.png", "demo.png"),
}
"""Pictures that belong together, one above the other."""
UNDER_WAY_S = {"live": 2.5}
"""Shot while the last command runs, so long after it began."""
FIGURES = {
    "sheet": "sheet.png",
}


def prepare(folder: Path) -> None:
    """The demo data, a link file with three slips in it, a capture, and a log of a real pair of processes."""
    subprocess.run([BIN / "nuvrik", "demo"], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    shutil.copy(folder / "marram-demo/tug.toml", folder / "tug.toml")
    subprocess.run([BIN / "nuvrik", "new", "boat.toml", "--like", "marram"], cwd=folder, check=True)
    quiet = {"cwd": folder, "stdout": subprocess.DEVNULL}
    subprocess.run([BIN / "nuvrik", "check", "boat.toml", "--sheet", "sheet.png"], check=True, **quiet)
    subprocess.run([BIN / "nuvrik", "check", "tug.toml", "--wiring", "wires.png"], check=True, **quiet)
    text = (folder / "tug.toml").read_text()
    for old, new in (
        ("dead_zone", "dead_zoon"),
        ('from = "right_stick"', 'from = "rigth_stick"'),
        ("forward = 9", "forward = 5"),
    ):
        text = text.replace(old, new, 1)
    (folder / "broken.toml").write_text(text)
    script = """
import nuvrik
link = nuvrik.load("tug.toml")
neighbour = link.model_copy(update={"frame": link.frame.model_copy(update={"pair": 91})})
e, other = nuvrik.Encoder(link), nuvrik.Encoder(neighbour)
good = [e.command([800 * i, -300 * i, 1], 40 + i) for i in range(6)]
bad = bytes([*good[2][:5], good[2][5] ^ 4, *good[2][6:]])
rows = [good[0], good[1], good[1], bad, other.command([0, 0, 1], 43), good[3], good[2], e.stop(46)]
open("capture.txt", "w").writelines(row.hex(" ") + "\\n" for row in rows)
"""
    subprocess.run([BIN / "python", "-c", script], cwd=folder, check=True)
    shutil.copy(Path(__file__).parents[1] / "src/nuvrik/demo/presses.txt", folder)
    motors(folder)
    for name in ("panel", "vent", "curtain"):
        subprocess.run([BIN / "nuvrik", "new", f"{name}.toml", "--like", name], check=True, **quiet)
    shutil.copy(Path(__file__).parents[1] / "examples/drive_a_panel.py", folder)
    captures(folder)
    from nuvrik.figures.on_off import draw_error_rate

    draw_error_rate(folder / "on_off_keyed.png")
    words = [
        BIN / "nuvrik",
        "budget",
        "boat.toml",
        "--loss",
        "0.1",
        "--burst-loss",
        "0.1",
        "--figure",
        "timeout.png",
    ]
    subprocess.run(words, check=True, **quiet)
    words = [BIN / "nuvrik", "rehearse", "boat.toml", "--runs", "4", "--report", "report.html"]
    subprocess.run(words, check=True, **quiet)
    words = [BIN / "nuvrik", "infrared", "read", "presses.txt", "--figure", "waveform.png"]
    subprocess.run(words, check=True, **quiet)
    words = [BIN / "nuvrik", "clock", "--hz", "16000000", "--pwm", "980", "--figure", "waves.png"]
    subprocess.run(words, check=True, **quiet)
    words = [BIN / "nuvrik", "inspect", "tug.toml", "radio.csv", "--summary", "--figure", "capture.png"]
    subprocess.run(words, check=True, **quiet)
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    from terminals import cable, start

    with cable() as line:
        machine = start("machine", folder / "tug.toml", "--port", line.ports[1], "--log", folder / "log.csv")
        handset = start(
            "drive",
            folder / "tug.toml",
            "--port",
            line.ports[0],
            "--from",
            folder / "marram-demo/harbour.csv",
        )
        time.sleep(6)
        handset.kill()
        time.sleep(1.5)
        machine.terminate()
        machine.wait()


def motors(folder: Path) -> None:
    """A screw that runs free, tows, and has weed in it; and a boat whose screw is swept from rest."""
    rng = random.Random(5)
    for name, start, top in (("free", 0.14, 9.5), ("loaded", 0.22, 7.0), ("fouled", 0.34, 4.1)):
        rows = []
        for place, duty in enumerate([*range(0, 256, 8), *range(255, -1, -8)]):
            speed = top * max(0.0, (duty / 255 - start) / (1 - start)) ** 0.8 * rng.gauss(1, 0.02)
            rows.append(f"{500 * place},{duty},{speed:.3f}")
        (folder / f"{name}.csv").write_text("\n".join(["t_ms,duty,speed", *rows]) + "\n")
    text = (folder / "boat.toml").read_text()
    (folder / "sweep.toml").write_text(text.replace("start_duty = 0.18", "start_duty = 0.0", 1))


def captures(folder: Path) -> None:
    """A panel's line at half its speed, upside down, and with a boot loader on it; and Marram's radio."""
    import nuvrik
    from nuvrik.budget.conditions import Conditions
    from nuvrik.demo import DEMO_LOSS
    from nuvrik.inspection.uart import received, waveform
    from nuvrik.recordings.pilot import practice
    from nuvrik.rehearsal.medium import SimMedium

    rows = practice(nuvrik.load(folder / "boat.toml"), seed=3, duration_ms=5000).csv_lines()
    (folder / "boat.csv").write_text("\n".join(rows) + "\n")
    panel = nuvrik.load(folder / "panel.toml")
    encoder = nuvrik.Encoder(panel)
    line = waveform(b"".join(encoder.command_on_wire([1, 90 * n, -60 * n, 0, 1], n) for n in range(80)))
    (folder / "slow.bin").write_bytes(received(line, 2.0))
    (folder / "upside_down.bin").write_bytes(received(line, inverted=True))
    (folder / "boot.txt").write_text("boot loader 1.2\r\nfirmware found, starting\r\n" * 4)
    tug = nuvrik.load(folder / "tug.toml")
    encoder, rng = nuvrik.Encoder(tug), random.Random(4)
    air = SimMedium(tug.medium, Conditions(**DEMO_LOSS), rng)
    rows = ["t_ms,hex"]
    for n in range(3000):
        arrived = air.send(encoder.command_on_wire([4 * n, 9000 - 3 * n, 1], n & 0xFF), 20_000 * n)
        if arrived is not None:
            rows.append(f"{arrived[0] / 1000},{arrived[1].hex()}")
    (folder / "radio.csv").write_text("\n".join(rows) + "\n")


def shoot(name: str, command: str, folder: Path, display: str) -> None:
    """One command in a terminal window, as a user would see it."""
    target = SHOTS / f"{name}.png"
    lines = command.split("; ")
    typed = [f"echo {shlex.quote('$ ' + line)}; {line}; echo; " for line in lines]
    if name in UNDER_WAY_S:
        typed.insert(-1, f"(sleep {UNDER_WAY_S[name]}; touch done) & ")
    else:
        typed.append("touch done; ")
    shown = f"shopt -u xpg_echo; clear; {''.join(typed)}sleep 60"
    (folder / "done").unlink(missing_ok=True)
    environment = os.environ | {
        "DISPLAY": display,
        "PATH": f"{BIN}:{os.environ['PATH']}",
        "TERM": "xterm-256color",
    }
    window = subprocess.Popen(
        [
            "xterm",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "10",
            "-geometry",
            "156x50+0+0",
            "-bg",
            "#fbfaf7",
            "-fg",
            "#1d2b36",
            "-b",
            "8",
            "-e",
            "bash",
            "-c",
            shown,
        ],
        cwd=folder,
        env=environment,
    )
    try:
        for _ in range(900):
            if (folder / "done").exists():
                break
            time.sleep(0.1)
        time.sleep(0.7)
        subprocess.run(["import", "-window", "root", target], env=environment, check=True)
    finally:
        window.kill()
        window.wait()
    print(f"{target}")


def shoot_page(page: Path, target: Path) -> None:
    """A page in a browser, if there is one."""
    browser = shutil.which("chromium")
    if browser is None:
        print(f"{target} left as it is: needs chromium", file=sys.stderr)
        return
    switches = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking"]
    switches += [f"--user-data-dir={page.parent / 'browser'}", "--window-size=1280,1600"]
    words = [browser, *switches, f"--screenshot={target}", page.as_uri()]
    subprocess.run(words, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=120)
    print(f"{target}")


def main() -> int:
    SHOTS.mkdir(parents=True, exist_ok=True)
    missing = [tool for tool in ("Xvfb", "xterm", "import") if shutil.which(tool) is None]
    if missing:
        print(f"needs {', '.join(missing)}: run `make toolchain` as root", file=sys.stderr)
        return 2
    display = ":87"
    screen = subprocess.Popen(["Xvfb", display, "-screen", "0", f"{SIZE}x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1.5)
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            prepare(folder)
            for name, command in TERMINALS.items():
                shoot(name, command, folder, display)
            shoot_page(folder / "report.html", SHOTS / "report.png")
            shoot_panel(folder, SHOTS)
            for name, file in FIGURES.items():
                shutil.copy(folder / file, SHOTS / f"{name}.png")
            for name, files in STACKED.items():
                # Figures come from the folder, and terminals from where they have just been shot.
                parts = [folder / file if (folder / file).exists() else SHOTS / file for file in files]
                subprocess.run(["convert", *parts, "-append", SHOTS / f"{name}.png"], check=True)
                for file in {*files} - {f"{name}.png"}:
                    (SHOTS / file).unlink(missing_ok=True)
    finally:
        screen.kill()
    return 0


if __name__ == "__main__":
    sys.exit(main())
