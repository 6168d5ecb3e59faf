// The gamepads of this browser, for controls whose link file says source = "pad.left_y" and the like. A pad
// that is lost lets go of all it held; one that rests leaves a control to the thumb.

import { make, words, write } from "./make.js";

const AXES = ["left_x", "left_y", "right_x", "right_y"];
const BUTTONS = [
  "south", "east", "west", "north", "left_shoulder", "right_shoulder", "left_trigger", "right_trigger",
  "select", "start", "left_thumb", "right_thumb", "dpad_up", "dpad_down", "dpad_left", "dpad_right", "mode",
];
const FULL = 32767;
const KEPT = "panel-pads";

/** How far from rest, of its way, an item may be and still count as at rest; more where the link file says. */
const NEAR_REST = 0.06;

/** So far an axis has to go, of its way, or a button down, to be meant when a pad is assigned. */
const MEANT = 0.6;

const ITEM = /^(left|right)_(x|y|trigger|shoulder|thumb)$|^(dpad|hat|axis|button)_|^(south|east|west|north|select|start|mode)$|_button$/;

/** What every item of a pad reads, by place and by number, as a pad at the host would. */
export function itemsOf(pad) {
  const items = {};
  pad.axes.forEach((value, at) => (items[`axis_${at}`] = Math.round(value * FULL)));
  pad.buttons.forEach((button, at) => (items[`button_${at}`] = Number(button.pressed)));
  if (pad.mapping !== "standard") return items;
  AXES.forEach((name, at) => (items[name] = Math.round((pad.axes[at] ?? 0) * FULL)));
  BUTTONS.forEach((name, at) => {
    const button = pad.buttons[at];
    if (button) items[name] = name.endsWith("trigger") ? Math.round(button.value * FULL) : Number(button.pressed);
  });
  items.dpad_x = items.hat_0_x = (items.dpad_right ?? 0) - (items.dpad_left ?? 0);
  items.dpad_y = items.hat_0_y = (items.dpad_up ?? 0) - (items.dpad_down ?? 0);
  for (const axis of ["x", "y"]) {
    items[`hat_0_${axis}+`] = Number(items[`hat_0_${axis}`] > 0);
    items[`hat_0_${axis}-`] = Number(items[`hat_0_${axis}`] < 0);
  }
  return items;
}

/** Pads as one widget: it moves the controls that name an item of a pad. One that was lost counts again once it
 *  has been at rest, and the link's own stop control is pressed by its item too. */
export class Pads {
  constructor(hands, controls, stop, press) {
    this.hands = hands;
    const wire = (one) => {
      const [name, item] = one?.source?.split(".") ?? [];
      return item && ITEM.test(item) && !one.by_host ? { one, name, item } : null;
    };
    this.wires = controls.map(wire).filter(Boolean);
    this.stops = wire(stop);
    this.names = [...new Set([...this.wires, this.stops].filter(Boolean).map(({ name }) => name))];
    this.press = press;
    this.moved = new Set();
    this.lost = new Set();
    this.assigned = JSON.parse(sessionStorage.getItem(KEPT) ?? "{}");
  }

  pads() {
    return (navigator.getGamepads?.() ?? []).filter((pad) => pad?.connected);
  }

  /** The items of the pad of a name: names have pads in their order; `pad_1` and the like say which. */
  items(name) {
    const number = Number(/(\d+)$/.exec(name)?.[1] ?? this.names.indexOf(name));
    const pad = this.pads()[number];
    if (!pad) return {};
    const items = itemsOf(pad);
    for (const [item, [from, way]] of Object.entries(this.assigned[pad.id] ?? {})) items[item] = way * (items[from] ?? 0);
    return items;
  }

  isAway(one, reading) {
    const near = Math.max(NEAR_REST, one.dead_zone ?? 0);
    return Math.abs(reading - one.rest) > near * Math.abs((reading - one.rest) * (one.high - one.rest) > 0 ? one.high - one.rest : one.low - one.rest);
  }

  sample() {
    this.step?.();
    if (!this.names.length) return;
    const items = Object.fromEntries(this.names.map((name) => [name, this.items(name)]));
    if (this.stops) this.press(Boolean(items[this.stops.name][this.stops.item]));
    for (const { one, name, item } of this.wires) {
      const reading = items[name][item];
      if (reading === undefined) {
        if (!this.moved.delete(one.name)) continue;
        this.lost.add(one.name);
        this.hands.set(one.name, one.rest);
        continue;
      }
      const away = one.kind === "button" || one.kind === "key" ? reading !== one.rest : this.isAway(one, reading);
      if (away) {
        if (this.lost.has(one.name)) continue;
        this.moved.add(one.name);
        this.hands.set(one.name, reading);
      } else {
        this.lost.delete(one.name);
        if (this.moved.delete(one.name)) this.hands.set(one.name, one.rest);
      }
    }
  }

  /** For a pad whose layout the browser does not know: one control after the other is asked for, and what moves
   *  then is it. */
  assigns(box) {
    box.replaceChildren();
    if (!this.wires.length) return;
    const said = make("span", { role: "status" });
    const button = make("button", { type: "button", onclick: () => this.begin(said) }, "Assign a pad by hand");
    box.append(make("p", {}, "For a pad whose layout this browser does not know."), make("div", { class: "row" }, button, said));
  }

  begin(said) {
    const pad = this.pads().find((one) => one.mapping !== "standard") ?? this.pads()[0];
    if (!pad) {
      write(said, "no pad: press a button on it to wake it");
      return;
    }
    const asked = [...this.wires];
    const found = {};
    let before = itemsOf(pad);
    const ask = () => {
      const { one } = asked[0];
      write(said, one.kind === "axis" ? `push ${words(one.name)} all the way up or right` : `press or push ${words(one.name)}`);
    };
    ask();
    this.step = () => {
      const now = this.pads().find((one) => one.id === pad.id);
      if (!now) return;
      const items = itemsOf(now);
      const numbered = Object.keys(items).filter((item) => /^(axis|button)_\d+$/.test(item));
      const far = (item) => (item.startsWith("axis") ? (items[item] - before[item]) / FULL : items[item] - before[item]);
      const most = numbered.sort((one, other) => Math.abs(far(other)) - Math.abs(far(one)))[0];
      if (this.waits) {
        this.waits = Math.abs(far(most)) > MEANT / 2;
        return;
      }
      if (Math.abs(far(most)) < MEANT || Object.values(found).some(([from]) => from === most)) return;
      const { one, item } = asked.shift();
      const up = one.high > one.rest ? 1 : -1;
      found[item] = [most, one.kind === "axis" ? up * Math.sign(far(most)) : 1];
      this.waits = true;
      if (asked.length) ask();
      else {
        this.step = null;
        this.assigned[pad.id] = found;
        sessionStorage.setItem(KEPT, JSON.stringify(this.assigned));
        write(said, "done: it drives now");
      }
    };
  }

  /** What is pressed now, for people to read. */
  said() {
    const said = this.pads().map((pad) => {
      const lit = Object.entries(itemsOf(pad)).filter(([, value]) => Math.abs(value) > 2000 || value === 1);
      return `${pad.id}: ${lit.map(([name, value]) => `${name} ${value}`).join(", ") || "nothing pressed"}`;
    });
    return said.join("; ") || "no pad: press a button on it to wake it";
  }
}
