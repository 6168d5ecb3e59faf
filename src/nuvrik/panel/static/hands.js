// Where every control of this page is, and whether that may be believed: the page is in front, has focus, and
// paints. Widgets put controls somewhere; nothing else does.

const FRAMES = 4;
const FRAME_MS = 100;
const PRESS_MS = 60;
const LEAST_PX = 300;

/** Long enough that no frame misses it. */
const WITHDRAWN_MS = 150;

export class Hands {
  constructor() {
    this.controls = new Map();
    this.readings = {};
    this.frames = [];
    this.moved = () => {};
    this.gone = () => {};
    this.freed = () => {};
    this.types = () => {};
    this.widgets = [];
    this.held = new Set();
    this.trims = {};
    const leaves = () => {
      this.letGo();
      this.gone();
    };
    addEventListener("blur", leaves);
    addEventListener("pagehide", leaves);
    document.addEventListener("freeze", leaves);
    document.addEventListener("visibilitychange", () => {
      if (document.visibilityState !== "visible") leaves();
    });
    addEventListener("pageshow", (event) => {
      if (event.persisted) location.reload();
    });
  }

  know(controls) {
    this.trims = {};
    this.held.clear();
    this.controls = new Map(controls.map((one) => [one.name, one]));
    this.readings = {};
    for (const one of controls) if (!one.by_host) this.readings[one.name] = one.rest;
    this.pressedAt = {};
  }

  /** Whether a control is where nobody would leave it. */
  isAway(name) {
    return this.readings[name] !== this.controls.get(name)?.rest;
  }

  /** A frame of the screen is being painted. */
  paints(now) {
    this.frames.push(now);
    if (this.frames.length > FRAMES + 1) this.frames.shift();
  }

  /** Whether there is no room for anything but stop. */
  isTooSmall() {
    return innerWidth < LEAST_PX || innerHeight < LEAST_PX;
  }

  /** Whether what a hand does here may be believed. */
  mayDrive() {
    if (this.isTooSmall() || document.visibilityState !== "visible" || !document.hasFocus()) return false;
    if (this.frames.length <= FRAMES) return false;
    let before = this.frames[0];
    for (const at of this.frames.slice(1)) {
      if (at - before > FRAME_MS) return false;
      before = at;
    }
    return performance.now() - before <= FRAME_MS;
  }

  /** Readings of all controls, now. */
  sample() {
    for (const widget of this.widgets) widget.sample?.();
    return this.readings;
  }

  /** A control is put somewhere: -1 to 1 of its way from rest. */
  put(name, share) {
    const one = this.controls.get(name);
    if (!one || one.by_host) return;
    this.set(name, this.reading(one, share));
  }

  /** What a control reads at a share of its way, with its trim. */
  reading(one, share) {
    const at = Math.max(-1, Math.min(1, share + (this.trims[one.name] ?? 0)));
    const end = at >= 0 ? one.high : one.low;
    return one.rest + Math.round(Math.abs(at) * (end - one.rest));
  }

  /** Trim a control: its rest is so far beside. */
  trim(name, share) {
    this.trims[name] = share;
    this.put(name, 0);
  }

  /** A finger or a key holds something of the page, or lets it go. */
  holds(element, on) {
    if (on) this.held.add(element);
    else if (this.held.delete(element)) this.freed();
  }

  /** A control has no reading for a moment, and is at rest then: what it held is not wanted any more. */
  withdraw(name) {
    const one = this.controls.get(name);
    if (!one || one.by_host) return;
    delete this.readings[name];
    this.moved();
    setTimeout(() => this.set(name, this.reading(one, 0)), WITHDRAWN_MS);
  }

  /** A control reads a whole number. */
  set(name, reading) {
    const one = this.controls.get(name);
    if (!one || one.by_host) return;
    const [least, most] = one.low < one.high ? [one.low, one.high] : [one.high, one.low];
    const within = Math.max(least, Math.min(most, reading));
    if (this.readings[name] === within) return;
    this.readings[name] = within;
    this.moved();
  }

  /** A button goes down or up. A tap lasts long enough for a contact's debounce. */
  press(name, down) {
    const one = this.controls.get(name);
    if (!one) return;
    if (down) {
      this.pressedAt[name] = performance.now();
      this.set(name, one.high);
      return;
    }
    const left = PRESS_MS - (performance.now() - (this.pressedAt[name] ?? 0));
    if (left <= 0) this.set(name, one.rest);
    else setTimeout(() => this.set(name, one.rest), left);
  }

  /** Whatever a finger or a key holds is let go, and what springs is at rest; what stays, stays. */
  letGo() {
    for (const widget of this.widgets) widget.letGo?.();
    for (const one of this.controls.values()) if (!stays(one) && !one.by_host) this.readings[one.name] = this.reading(one, 0);
  }

  /** Stop is pressed: what this page itself keeps turning, or armed, is at rest when it is let go. */
  stops() {
    for (const widget of this.widgets) widget.stops?.();
  }

  /** Everything to rest: another page drives, or this one has just begun to. */
  allToRest() {
    this.letGo();
    for (const widget of this.widgets) widget.toRest?.();
    for (const one of this.controls.values()) if (!one.by_host) this.readings[one.name] = one.rest;
  }
}

/** Whether a control stays where it is put when it is let go. */
export function stays(one) {
  return one.sets_channel || one.kind === "slider";
}
