// What a thumb drags: sticks, tall tracks, slots. Each puts its control somewhere, and shows where the link
// file has put it. What springs back is round, in a dashed ring; what stays is a flat cap over a square way.

import { make, mark, place, words, write } from "./make.js";

const KEY_SHARE = 0.5;
const STEP = 0.05;
const TRIM_STEP = 0.01;
const TRIM_MOST = 0.5;

/** The way of a pointer over an element, from where it came down, in parts of half the element. */
function draggable(hands, element, { begin, move, end }) {
  let pointer = null;
  let from = null;
  element.addEventListener("pointerdown", (event) => {
    if (pointer !== null || event.button > 0) return;
    pointer = event.pointerId;
    element.setPointerCapture(pointer);
    from = [event.clientX, event.clientY];
    hands.holds(element, true);
    element.classList.add("held");
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
    if (pointer === null || (event && event.pointerId !== pointer)) return;
    pointer = null;
    element.classList.remove("held");
    end();
    hands.holds(element, false);
  };
  for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) element.addEventListener(name, ends);
  return () => ends();
}

const within = (share, least = -1) => Math.max(least, Math.min(1, share));

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

/** What is drawn of a track, and its name and value above. */
function drawn(kind, names, orientation, least = -100) {
  const value = make("span", { class: "value" });
  const label = make("div", { class: "name" }, make("span", {}, names.map(words).join(" and ")), value);
  const part = (name) => make("span", { class: name, "aria-hidden": "true" });
  const track = make(
    "div",
    {
      class: `track ${kind}`,
      "data-controls": names.join(" "),
      tabindex: "0",
      role: "slider",
      "aria-label": names.map(words).join(" and "),
      "aria-orientation": orientation,
      "aria-valuemin": String(least),
      "aria-valuemax": "100",
      "aria-valuenow": "0",
    },
    ...["way", "home", "filled", "zero", "knob", "made"].map(part),
  );
  return { value, label, track };
}

/** One axis or two. It springs back when let go; where the link file has it hold, what it made stays. */
export class Stick {
  constructor(hands, axes) {
    this.hands = hands;
    this.across = axes.find((one) => one.across) ?? null;
    this.along = axes.find((one) => !one.across) ?? null;
    this.names = axes.map((one) => one.name);
    this.stays = axes.every((one) => one.holds);
    const way = this.across && this.along ? "both" : this.across ? "across" : "along";
    const made = drawn(`${way} ${this.stays ? "stays" : "springs"} main`, this.names, way === "across" ? "horizontal" : "vertical");
    this.value = made.value;
    this.track = made.track;
    this.element = make("div", { class: "widget stick" }, made.label, this.track);
    const under = make("div", { class: "under" });
    if (this.stays) under.append(make("button", { type: "button", "aria-label": `${words(this.names[0])} to rest`, onclick: () => this.withdraw() }, "to rest"));
    if (!axes.some((one) => one.feeds.some((fed) => fed.turning))) for (const one of axes) under.append(make("div", { class: "trims" }, ...this.trim(one)));
    this.under = under.childElementCount ? under : null;
    if (this.under) this.element.append(under);
    this.x = this.y = 0;
    this.end = draggable(hands, this.track, { begin: () => {}, move: (x, y) => this.put(x, y), end: () => this.put(0, 0) });
    this.listen();
  }

  listen() {
    const keys = { ArrowUp: [0, 1], ArrowDown: [0, -1], ArrowRight: [1, 0], ArrowLeft: [-1, 0] };
    this.down = new Set();
    const look = (shift) => {
      const share = shift ? 1 : KEY_SHARE;
      let [x, y] = [0, 0];
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
      if (!this.down.size) return;
      this.down.clear();
      this.put(0, 0);
    });
  }

  /** Only where nothing turns: elsewhere it would creep, or keep arm from going on. */
  trim(one) {
    const said = make("span", { class: "small trim" }, "trim 0 %");
    const step = (way) => {
      const share = within((this.hands.trims[one.name] ?? 0) + way * TRIM_STEP, -TRIM_MOST);
      const kept = Math.max(-TRIM_MOST, Math.min(TRIM_MOST, Math.round(100 * share) / 100));
      this.hands.trim(one.name, kept);
      write(said, kept ? `trim = ${kept}` : "trim 0 %");
      if (!kept) navigator.vibrate?.(15);
    };
    return [
      make("button", { type: "button", "aria-label": `trim ${words(one.name)} down`, onclick: () => step(-1) }, "−"),
      said,
      make("button", { type: "button", "aria-label": `trim ${words(one.name)} up`, onclick: () => step(1) }, "+"),
    ];
  }

  put(x, y) {
    this.x = this.across ? within(x) : 0;
    this.y = this.along ? within(y) : 0;
    if (this.across) this.hands.put(this.across.name, this.x);
    if (this.along) this.hands.put(this.along.name, this.y);
  }

  withdraw() {
    for (const name of this.names) this.hands.withdraw(name);
  }

  letGo() {
    this.down.clear();
    this.end();
    this.put(0, 0);
  }

  stops() {
    if (this.stays) this.withdraw();
  }

  show(seen, reads) {
    const level = (one) => (one ? (seen.controls[one.name]?.[1] ?? null) : 0);
    const [x, y] = [level(this.across), level(this.along)];
    place(this.track, "--x", String(this.x));
    place(this.track, "--y", String(this.y));
    place(this.track, "--mx", String((x ?? 0) / 1000));
    place(this.track, "--my", String((y ?? 0) / 1000));
    mark(this.track, "data-reading", x === null || y === null ? "none" : "fresh");
    if (!reads) return;
    const said = [this.across ? x : undefined, this.along ? y : undefined].filter((one) => one !== undefined);
    const text = said.map(percent).join(", ") + (this.stays && said.some((one) => one) ? " stays" : "");
    write(this.value, text);
    mark(this.track, "aria-valuetext", text);
    mark(this.track, "aria-valuenow", String(Math.round((this.along ? (y ?? 0) : (x ?? 0)) / 10)));
  }
}

/** What stays where it is put: a slider of the handset, or a channel that the page sets itself. */
class Staying {
  constructor(hands, one, kind, upright) {
    this.hands = hands;
    this.one = one;
    this.least = one.rest === one.low ? 0 : -1;
    this.share = 0;
    const way = upright ? "along" : "across";
    const made = drawn(`${way} stays ${kind}${this.least ? "" : " from-none"}`, [one.name], upright ? "vertical" : "horizontal", 100 * this.least);
    this.value = made.value;
    this.label = made.label;
    this.track = made.track;
    let start = 0;
    const scale = this.least ? 1 : 0.5;
    this.end = draggable(hands, this.track, {
      begin: () => {
        start = this.share;
      },
      move: (x, y) => this.put(start + (upright ? y : x) * scale),
      end: () => {},
    });
    this.track.addEventListener("keydown", (event) => {
      const steps = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 4, PageDown: -4 };
      if (event.key === "Home") this.put(0);
      else if (event.key === "End") this.put(1);
      else if (event.key in steps) this.put(this.share + steps[event.key] * STEP);
      else return;
      event.preventDefault();
    });
  }

  /** Whether a number can be typed for it: on digits of the page's own, for the system's would cover stop. */
  get typed() {
    return this.one.kind !== "slider";
  }

  digits() {
    return make("button", { type: "button", class: "digits", "aria-label": `${words(this.one.name)}: type a number`, onclick: () => this.hands.types(this.one, (share) => this.put(share)) }, "123");
  }

  put(share) {
    this.share = within(share, this.least);
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

  show(seen, reads) {
    const { kind, name, high } = this.one;
    const set = seen.channels[name] ?? null;
    const level = kind === "slider" ? (seen.controls[name]?.[1] ?? null) : kind === "count" && set !== null ? (1000 * set) / high : set;
    const at = (share) => String(this.least ? share : 2 * share - 1);
    for (const axis of ["x", "y"]) {
      place(this.track, `--${axis}`, at(this.share));
      place(this.track, `--m${axis}`, at((level ?? 0) / 1000));
    }
    mark(this.track, "data-reading", level === null ? "none" : "fresh");
    if (!reads) return;
    const text = this.shown(level);
    write(this.value, text);
    mark(this.track, "aria-valuetext", text);
    mark(this.track, "aria-valuenow", String(Math.round((level ?? 0) / 10)));
  }

  shown(level) {
    if (level === null || (!this.one.unit && this.one.kind !== "count")) return percent(level).replace("+", this.least ? "+" : "");
    return amount(level, this.one.range, this.one.unit, this.least);
  }
}

/** A tall one, in a big place. */
export class Tall extends Staying {
  constructor(hands, one) {
    super(hands, one, "main", true);
    const under = make("div", { class: "under" }, make("button", { type: "button", "aria-label": `${words(one.name)} to rest`, onclick: () => this.put(0) }, "to rest"));
    if (this.typed) under.append(this.digits());
    this.under = under;
    this.element = make("div", { class: "widget stick" }, this.label, this.track, under);
  }
}

/** A flat one, in a slot. */
export class Slot extends Staying {
  constructor(hands, one) {
    super(hands, one, "flat", false);
    this.track.append(this.label);
    this.element = make("div", { class: "pair widget" }, this.track);
    if (this.typed) this.element.append(this.digits());
  }
}
