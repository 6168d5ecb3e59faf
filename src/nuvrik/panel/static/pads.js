// The gamepads of this browser, for controls whose link file says source = "pad.left_y" and the like. A pad
// that is lost lets go of all it held.

const AXES = ["left_x", "left_y", "right_x", "right_y"];
const BUTTONS = [
  "south", "east", "west", "north", "left_shoulder", "right_shoulder", "left_trigger", "right_trigger",
  "select", "start", "left_thumb", "right_thumb", "dpad_up", "dpad_down", "dpad_left", "dpad_right", "mode",
];
const FULL = 32767;

/** What every item of a pad reads, by place, as a pad at the host would. */
export function itemsOf(pad) {
  const items = {};
  if (pad.mapping === "standard") {
    AXES.forEach((name, at) => (items[name] = Math.round((pad.axes[at] ?? 0) * FULL)));
    BUTTONS.forEach((name, at) => {
      const button = pad.buttons[at];
      if (button) items[name] = name.endsWith("trigger") ? Math.round(button.value * FULL) : Number(button.pressed);
    });
  }
  pad.axes.forEach((value, at) => (items[`axis_${at}`] = Math.round(value * FULL)));
  pad.buttons.forEach((button, at) => (items[`button_${at}`] = Number(button.pressed)));
  return items;
}

const OF_A_PAD = /^[a-z_]*pad[a-z0-9_]*\./;

/** How far from rest, of its way, an item of a pad that has come back may be and still count as at rest. */
const NEAR_REST = 0.06;

function isAway(one, reading) {
  return Math.abs(reading - one.rest) > NEAR_REST * Math.abs(one.high - one.low);
}

/** Pads as one widget: it moves the controls that name an item of a pad. One that was lost counts again once it
 *  has been at rest, and the link's own stop control is pressed by its item too. */
export class Pads {
  constructor(hands, controls, stop, press) {
    this.hands = hands;
    this.wires = controls
      .filter((one) => one.source && !one.by_host && OF_A_PAD.test(one.source))
      .map((one) => ({ one, item: one.source.split(".")[1] }));
    this.stops = stop?.source && OF_A_PAD.test(stop.source) ? stop.source.split(".")[1] : null;
    this.press = press;
    this.moved = new Set();
    this.lost = new Set();
  }

  pads() {
    return (navigator.getGamepads?.() ?? []).filter((pad) => pad?.connected);
  }

  sample() {
    if (!this.wires.length && !this.stops) return;
    const [pad] = this.pads();
    const items = pad ? itemsOf(pad) : {};
    if (this.stops) this.press(Boolean(items[this.stops]));
    for (const { one, item } of this.wires) {
      if (item in items) {
        if (this.lost.has(one.name) && isAway(one, items[item])) continue;
        this.lost.delete(one.name);
        this.hands.set(one.name, items[item]);
        this.moved.add(one.name);
      } else if (this.moved.delete(one.name)) {
        this.lost.add(one.name);
        this.hands.set(one.name, one.rest);
      }
    }
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
