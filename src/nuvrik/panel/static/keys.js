// Real keys: down when they go down, up when they come up; what repeats in between is nothing. Space and Esc
// stop, whatever has focus, text fields included.

const STOPS = [" ", "Escape"];

/** Stop, on the window and before anybody else sees the key. */
export function stopKeys(press) {
  const down = new Set();
  addEventListener(
    "keydown",
    (event) => {
      if (!STOPS.includes(event.key)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      down.add(event.key);
      press(true);
    },
    { capture: true },
  );
  addEventListener(
    "keyup",
    (event) => {
      if (!STOPS.includes(event.key)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      down.delete(event.key);
      if (down.size === 0) press(false);
    },
    { capture: true },
  );
  addEventListener("blur", () => {
    down.clear();
    press(false);
  });
}

/** The controls that a key of the keyboard is for, as one widget. */
export class Keys {
  /** stop: the link's own stop control, if it has one; press: presses and lets go of stop. */
  constructor(hands, controls, stop, press) {
    this.hands = hands;
    this.stops = stop?.char;
    this.press = press;
    this.byChar = new Map(controls.filter((one) => one.char && !STOPS.includes(one.char)).map((one) => [one.char, one]));
    this.down = new Map();
    addEventListener("keydown", (event) => {
      if (event.repeat || event.ctrlKey || event.altKey || event.metaKey || isText(event.target)) return;
      const one = this.byChar.get(event.key);
      this.down.set(event.code, event.key);
      if (event.key === this.stops) this.press(true);
      if (!one) return;
      event.preventDefault();
      this.hands.set(one.name, one.high);
    });
    addEventListener("keyup", (event) => {
      const key = this.down.get(event.code);
      this.down.delete(event.code);
      if (key !== undefined && key === this.stops) this.press(false);
      const one = this.byChar.get(key);
      if (one) this.hands.set(one.name, one.rest);
    });
  }

  letGo() {
    this.down.clear();
    this.press(false);
  }

  /** What is pressed now, for people to read. */
  said() {
    const keys = [...this.down.values()];
    return keys.length ? `down: ${keys.join(" ")}` : "no key is down";
  }
}

function isText(element) {
  return element instanceof HTMLInputElement;
}
