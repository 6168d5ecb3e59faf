// What a hand takes hold of: tracks, squares, buttons, numbers. Each puts its control somewhere, and shows
// where the link file has put it.

import { make, mark, place, words, write } from "./make.js";

const KEY_SHARE = 0.5;
const SLIDE_STEP = 0.05;
const HOLD_MS = 600;

/** The way of a pointer over an element, from where it came down, in parts of half the element. */
function draggable(element, { begin, move, end }) {
  let pointer = null;
  let from = null;
  element.addEventListener("pointerdown", (event) => {
    if (pointer !== null || event.button > 0) return;
    pointer = event.pointerId;
    element.setPointerCapture(pointer);
    from = [event.clientX, event.clientY];
    begin();
    event.preventDefault();
    element.focus({ preventScroll: true });
  });
  element.addEventListener("pointermove", (event) => {
    if (event.pointerId !== pointer) return;
    const box = element.getBoundingClientRect();
    move((2 * (event.clientX - from[0])) / box.width, (2 * (from[1] - event.clientY)) / box.height);
  });
  const ends = (event) => {
    if (event && event.pointerId !== pointer) return;
    if (pointer === null) return;
    pointer = null;
    end();
  };
  for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) {
    element.addEventListener(name, ends);
  }
  return () => ends();
}

const within = (share) => Math.max(-1, Math.min(1, share));

/** One axis or two on a track or a square: springs back when let go. */
export class Stick {
  constructor(hands, across, along) {
    this.hands = hands;
    this.across = across;
    this.along = along;
    this.names = [across, along].filter(Boolean).map((one) => one.name);
    const both = across && along;
    this.knob = make("span", { class: "knob", "aria-hidden": "true" });
    this.made = make("span", { class: "made", "aria-hidden": "true" });
    this.label = make("span", { class: "label" }, this.names.map(words).join(" and "));
    this.value = make("span", { class: "value" }, "0");
    this.track = make(
      "div",
      {
        class: both ? "square" : across ? "track across" : "track along",
        tabindex: "0",
        role: "slider",
        "aria-label": this.names.map(words).join(" and "),
        "aria-orientation": across && !along ? "horizontal" : "vertical",
        "aria-valuemin": "-100",
        "aria-valuemax": "100",
        "aria-valuenow": "0",
      },
      this.knob,
      this.made,
    );
    this.element = make("div", { class: "widget stick" }, this.label, this.track, this.value);
    const does = [across, along].filter(Boolean).flatMap((one) => one.does);
    if (does.length) this.element.append(make("span", { class: "does" }, does.join("; ")));
    this.x = this.y = 0;
    this.end = draggable(this.track, {
      begin: () => this.track.classList.add("held"),
      move: (x, y) => this.put(x, y),
      end: () => {
        this.track.classList.remove("held");
        this.put(0, 0);
      },
    });
    this.down = new Set();
    const keys = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowRight: [1, 0], ArrowLeft: [-1, 0] };
    const look = (shift) => {
      const share = shift ? 1 : KEY_SHARE;
      let x = 0;
      let y = 0;
      for (const key of this.down) {
        x += keys[key][0];
        y += keys[key][1];
      }
      this.put(x * share, y * share);
    };
    this.track.addEventListener("keydown", (event) => {
      if (!(event.key in keys)) return;
      event.preventDefault();
      if (event.repeat) return;
      this.down.add(event.key);
      look(event.shiftKey);
    });
    this.track.addEventListener("keyup", (event) => {
      if (this.down.delete(event.key)) look(event.shiftKey);
    });
    this.track.addEventListener("blur", () => {
      if (this.down.size) {
        this.down.clear();
        this.put(0, 0);
      }
    });
  }

  put(x, y) {
    this.x = this.across ? within(x) : 0;
    this.y = this.along ? within(y) : 0;
    if (this.across) this.hands.put(this.across.name, this.x);
    if (this.along) this.hands.put(this.along.name, this.y);
  }

  letGo() {
    this.down.clear();
    this.end();
    this.put(0, 0);
  }

  show(seen) {
    const level = (one) => (one ? (seen.controls[one.name]?.[1] ?? null) : 0);
    const x = level(this.across);
    const y = level(this.along);
    place(this.knob, "--x", String(this.x));
    place(this.knob, "--y", String(this.y));
    place(this.made, "--x", String((x ?? 0) / 1000));
    place(this.made, "--y", String((y ?? 0) / 1000));
    mark(this.made, "data-known", String(x !== null && y !== null));
    const said = [this.across ? x : null, this.along ? y : null].filter((_, i) => [this.across, this.along][i]);
    const text = said.map(percent).join(", ");
    write(this.value, text);
    mark(this.track, "aria-valuetext", text);
    mark(this.track, "aria-valuenow", String(Math.round((this.along ? (y ?? 0) : (x ?? 0)) / 10)));
  }
}

export function percent(thousandths) {
  if (thousandths === null || thousandths === undefined) return "no reading";
  const value = Math.round(thousandths / 10);
  return `${value > 0 ? "+" : ""}${value} %`;
}

/** A level in the unit of the file: of a level (`bothWays`) the range goes from -1 to 1, of a share from 0. */
export function amount(thousandths, [first, last], unit, bothWays) {
  const way = bothWays ? (thousandths / 1000 + 1) / 2 : thousandths / 1000;
  return `${Math.round(10 * (first + way * (last - first))) / 10} ${unit}`.trim();
}

/** What stays where it is put: a slider of the handset, or a channel that the page sets itself. */
export class Slide {
  constructor(hands, one) {
    this.hands = hands;
    this.one = one;
    this.least = one.rest === one.low ? 0 : -1;
    this.share = 0;
    this.knob = make("span", { class: "knob", "aria-hidden": "true" });
    this.made = make("span", { class: "made", "aria-hidden": "true" });
    this.value = make("span", { class: "value" });
    this.track = make(
      "div",
      {
        class: this.least ? "track across" : "track across from-none",
        tabindex: "0",
        role: "slider",
        "aria-label": words(one.name),
        "aria-valuemin": String(100 * this.least),
        "aria-valuemax": "100",
        "aria-valuenow": "0",
      },
      this.knob,
      this.made,
    );
    this.element = make("div", { class: "widget slide" }, make("span", { class: "label" }, words(one.name)), this.track, this.value);
    if (one.does?.length) this.element.append(make("span", { class: "does" }, one.does.join("; ")));
    if (one.kind !== "slider") this.element.append(this.number());
    let start = 0;
    const scale = this.least ? 1 : 0.5;
    this.end = draggable(this.track, {
      begin: () => {
        start = this.share;
      },
      move: (x) => this.put(start + x * scale),
      end: () => {},
    });
    this.track.addEventListener("keydown", (event) => {
      const steps = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 4, PageDown: -4 };
      if (event.key === "Home") this.put(0);
      else if (event.key === "End") this.put(1);
      else if (event.key in steps) this.put(this.share + steps[event.key] * SLIDE_STEP);
      else return;
      event.preventDefault();
    });
  }

  /** A number in the unit of the link file; what is empty or out of range is refused, and nothing changes. */
  number() {
    const [first, last] = this.one.range;
    const unit = this.one.unit ? ` ${this.one.unit}` : "";
    const said = make("span", { class: "said", role: "alert" });
    const field = make("input", {
      type: "text",
      inputmode: "decimal",
      autocomplete: "off",
      "aria-label": `${words(this.one.name)}, ${first} to ${last}${unit}`,
    });
    const form = make("form", { class: "number" }, field, make("button", { type: "submit" }, `Set${unit}`), said);
    form.addEventListener("submit", (event) => {
      event.preventDefault();
      const text = field.value.trim().replace(",", ".");
      const number = Number(text);
      const [low, high] = first < last ? [first, last] : [last, first];
      if (text === "" || !Number.isFinite(number)) write(said, "give a number");
      else if (number < low || number > high) write(said, `from ${first} to ${last}${unit}`);
      else {
        write(said, "");
        const way = (number - first) / (last - first);
        this.put(this.least ? 2 * way - 1 : way);
      }
    });
    return form;
  }

  put(share) {
    this.share = Math.max(this.least, Math.min(1, share));
    this.hands.put(this.one.name, this.share);
  }

  letGo() {
    this.end();
  }

  stops() {
    if (this.one.turns) this.put(0);
  }

  toRest() {
    this.share = 0;
  }

  show(seen) {
    const { kind, name, high } = this.one;
    const set = seen.channels[name] ?? null;
    const level = kind === "slider" ? (seen.controls[name]?.[1] ?? null) : kind === "count" && set !== null ? (1000 * set) / high : set;
    place(this.knob, "--x", String(this.least ? this.share : 2 * this.share - 1));
    place(this.made, "--x", String(this.least ? (level ?? 0) / 1000 : (2 * (level ?? 0)) / 1000 - 1));
    mark(this.made, "data-known", String(level !== null));
    write(this.value, this.shown(level));
    mark(this.track, "aria-valuetext", this.shown(level));
    mark(this.track, "aria-valuenow", String(Math.round((level ?? 0) / 10)));
  }

  shown(level) {
    if (level === null || (!this.one.unit && this.one.kind !== "count")) return percent(level);
    return amount(level, this.one.range, this.one.unit, this.least);
  }
}

/** A button or a key: down while it is held; a latch shows whether it is on. */
export class Press {
  constructor(hands, one, text = words(one.name)) {
    this.hands = hands;
    this.one = one;
    this.lit = make("span", { class: "lit" });
    const key = one.char ? make("kbd", {}, one.char === " " ? "space" : one.char) : "";
    this.button = make("button", { type: "button", class: "press", "aria-pressed": "false" }, make("span", {}, text), key, this.lit);
    this.element = make("div", { class: "widget" }, this.button);
    if (one.does?.length) this.element.append(make("span", { class: "does" }, one.does.join("; ")));
    this.held = new Set();
    this.button.addEventListener("pointerdown", (event) => {
      if (event.button > 0) return;
      this.button.setPointerCapture(event.pointerId);
      this.hold(`pointer ${event.pointerId}`);
    });
    for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) {
      this.button.addEventListener(name, (event) => this.free(`pointer ${event.pointerId}`));
    }
    this.button.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      if (!event.repeat) this.hold("Enter");
    });
    this.button.addEventListener("keyup", (event) => {
      if (event.key === "Enter") this.free("Enter");
    });
    this.button.addEventListener("blur", () => this.free("Enter"));
    // A screen reader presses by a click alone.
    this.button.addEventListener("click", (event) => {
      if (event.detail !== 0) return;
      this.hold("click");
      setTimeout(() => this.free("click"), 0);
    });
  }

  hold(by) {
    if (this.held.size === 0) this.hands.press(this.one.name, true);
    this.held.add(by);
    this.button.classList.add("held");
  }

  free(by) {
    if (!this.held.delete(by) || this.held.size) return;
    this.hands.press(this.one.name, false);
    this.button.classList.remove("held");
  }

  letGo() {
    this.held.clear();
    this.button.classList.remove("held");
  }

  show(seen) {
    const level = seen.controls[this.one.name]?.[1];
    const on = level !== null && level !== undefined && level !== 0;
    mark(this.button, "aria-pressed", String(on));
    write(this.lit, on ? (this.one.toggles ? "on" : "pressed") : this.one.toggles ? "off" : "");
  }
}

/** What arms, done on purpose: held for a while it goes on, touched it goes off. */
export class Arm {
  constructor(hands, one, channel) {
    this.hands = hands;
    this.channel = channel;
    this.one = one;
    this.on = false;
    this.word = make("span", {}, "Hold to arm");
    this.button = make("button", { type: "button", class: "arm", "aria-pressed": "false" }, this.word);
    this.element = make("div", { class: "widget arm-widget" }, this.button);
    const begin = () => {
      if (this.on) {
        this.off();
        return;
      }
      this.button.classList.add("arming");
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.turnOn(), HOLD_MS);
    };
    const end = () => {
      clearTimeout(this.timer);
      this.button.classList.remove("arming");
    };
    // A switch of the handset's box stays on; so does this, until it is touched or the page is left.
    this.stays = one.kind === "flag" || !one.toggles;
    this.button.addEventListener("pointerdown", (event) => {
      if (event.button > 0) return;
      this.button.setPointerCapture(event.pointerId);
      begin();
    });
    for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) this.button.addEventListener(name, end);
    this.button.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      if (!event.repeat) begin();
    });
    this.button.addEventListener("keyup", (event) => {
      if (event.key === "Enter") end();
    });
  }

  turnOn() {
    this.button.classList.remove("arming");
    if (this.stays) {
      this.hands.set(this.one.name, this.one.high);
      return;
    }
    this.hands.press(this.one.name, true);
    this.hands.press(this.one.name, false);
  }

  off() {
    if (this.stays) this.hands.set(this.one.name, this.one.rest);
    else {
      this.hands.press(this.one.name, true);
      this.hands.press(this.one.name, false);
    }
  }

  stops() {
    this.letGo();
  }

  letGo() {
    clearTimeout(this.timer);
    this.button.classList.remove("arming");
    if (this.stays) this.hands.set(this.one.name, this.one.rest);
  }

  show(seen) {
    const level = this.one.kind === "flag" ? seen.channels[this.one.name] : seen.controls[this.one.name]?.[1];
    this.on = Boolean(level);
    // A toggle that stayed on while the page was away arms nothing until it has been switched off.
    const sent = Boolean(seen.channels[this.channel]);
    mark(this.button, "aria-pressed", String(this.on && sent));
    write(this.word, this.on && !sent ? "Touch to switch off first" : this.on ? "Disarm" : "Hold to arm");
  }
}

/** One of several, or a whole number. */
export class Choice {
  constructor(hands, one) {
    this.hands = hands;
    this.one = one;
    const options = one.options ?? ["off", "on"];
    this.buttons = options.map((option, at) =>
      make("button", { type: "button", "aria-pressed": "false", onclick: () => hands.set(one.name, at) }, words(option)),
    );
    this.element = make("div", { class: "widget", role: "group", "aria-label": words(one.name) }, make("span", { class: "label" }, words(one.name)), make("div", { class: "row" }, ...this.buttons));
  }

  show(seen) {
    const at = seen.channels[this.one.name];
    this.buttons.forEach((button, place) => mark(button, "aria-pressed", String(place === Number(at))));
  }
}
