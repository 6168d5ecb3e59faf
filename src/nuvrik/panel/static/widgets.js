// What a finger presses: buttons, groups of them, one of several. Momentary ones have round ends; what stays
// on has square ones, and says how it is.

import { make, mark, words, write } from "./make.js";

const pen = document.createElement("canvas").getContext("2d");

/** No word is broken: first the text gets smaller, then the buttons stand two in a row, then one. */
function fit(element) {
  const buttons = [...element.querySelectorAll("button")];
  const broken = () =>
    buttons.some((button) => {
      const style = getComputedStyle(button);
      pen.font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
      return button.textContent.split(" ").some((word) => pen.measureText(word).width > button.clientWidth - 4);
    });
  element.classList.remove("small-text", "half", "full");
  for (const step of ["small-text", ...(buttons.length > 2 ? ["half"] : []), "full"]) {
    if (!broken()) return;
    if (step === "full") element.classList.remove("half");
    element.classList.add(step);
  }
}

/** A button or a key: down while it is held; a latch shows whether it is on. */
export class Press {
  constructor(hands, one, { kind = null, text = words(one.name), large = false } = {}) {
    this.hands = hands;
    this.one = one;
    this.kind = kind;
    this.stays = one.toggles || one.kind === "flag" || kind === "selector";
    this.lit = make("small", { class: "lit" });
    const key = one.char ? make("kbd", {}, one.char === " " ? "space" : one.char) : "";
    const how = `press ${this.stays ? "stay" : "spring"}${large ? " main" : ""}`;
    this.button = make("button", { type: "button", class: how, "data-controls": one.name, "aria-pressed": "false", title: one.does.join("; ") }, make("span", {}, text), key, this.stays ? this.lit : "");
    this.element = large ? make("div", { class: "widget stick" }, make("div", { class: "name" }, make("span", {}, "while held")), this.button) : this.button;
    this.under = null;
    this.held = new Set();
    this.listen();
  }

  listen() {
    const button = this.button;
    button.addEventListener("pointerdown", (event) => {
      if (event.button > 0) return;
      button.setPointerCapture(event.pointerId);
      this.hold(`pointer ${event.pointerId}`);
    });
    for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) {
      button.addEventListener(name, (event) => this.free(`pointer ${event.pointerId}`));
    }
    button.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      if (!event.repeat) this.hold("Enter");
    });
    button.addEventListener("keyup", (event) => {
      if (event.key === "Enter") this.free("Enter");
    });
    button.addEventListener("blur", () => this.free("Enter"));
    // A screen reader presses by a click alone.
    button.addEventListener("click", (event) => {
      if (event.detail !== 0) return;
      this.hold("click");
      setTimeout(() => this.free("click"), 0);
    });
  }

  fit() {
    fit(this.element.parentElement ?? this.element);
  }

  hold(by) {
    if (this.held.size === 0) {
      if (this.one.kind === "flag") this.hands.set(this.one.name, this.on ? this.one.rest : this.one.high);
      else this.hands.press(this.one.name, true);
      this.hands.holds(this.button, true);
    }
    this.held.add(by);
    this.button.classList.add("held");
  }

  free(by) {
    if (!this.held.delete(by) || this.held.size) return;
    if (this.one.kind !== "flag") this.hands.press(this.one.name, false);
    this.button.classList.remove("held");
    this.hands.holds(this.button, false);
  }

  letGo() {
    this.held.clear();
    this.button.classList.remove("held");
    this.hands.holds(this.button, false);
  }

  show(seen) {
    const level = this.one.kind === "flag" ? seen.channels[this.one.name] : seen.controls[this.one.name]?.[1];
    this.on = level !== null && level !== undefined && level !== 0;
    mark(this.button, "aria-pressed", String(this.on));
    if (this.kind !== "selector") write(this.lit, this.on ? "● on" : "○ off");
  }
}

/** The buttons of a rocker, a nudge or a selector; three and more have their common word above them. */
export class Group {
  constructor(hands, made, all) {
    this.made = made;
    const stem = all[0].name.split("_")[0];
    const common = all.length > 2 && all.every((one) => one.name.startsWith(`${stem}_`));
    const text = (one) => words(common ? one.name.slice(stem.length + 1) : one.name);
    this.presses = all.map((one) => new Press(hands, { ...one, does: made.does }, { kind: made.kind, text: text(one) }));
    const buttons = make("div", { class: "pair" }, ...this.presses.map((one) => one.button));
    this.element = make("div", { class: "widget group", role: "group", "aria-label": words(made.name) }, common ? make("span", { class: "caption" }, words(stem)) : "", buttons);
    this.buttons = buttons;
  }

  fit() {
    fit(this.buttons);
  }

  letGo() {
    for (const one of this.presses) one.letGo();
  }

  show(seen) {
    for (const one of this.presses) one.show(seen);
    if (this.made.kind !== "selector") return;
    // What a selector chose says its level; which of its buttons that was, the press that came last.
    const chosen = seen.controls[this.made.name]?.[1] ?? null;
    if (chosen !== null && this.presses.some((one) => one.on)) this.last = this.presses.find((one) => one.on);
    for (const one of this.presses) {
      mark(one.button, "aria-pressed", String(chosen !== null && one === this.last));
      write(one.lit, chosen !== null && one === this.last ? "● here" : "○");
    }
  }
}

/** One of several, which a program would set. */
export class Choice {
  constructor(hands, one) {
    this.one = one;
    this.buttons = one.options.map((option, at) =>
      make("button", { type: "button", class: "press stay", "aria-pressed": "false", onclick: () => hands.set(one.name, at) }, words(option)),
    );
    this.row = make("div", { class: "pair", "data-controls": one.name }, ...this.buttons);
    this.element = make("div", { class: "widget group", role: "group", "aria-label": words(one.name) }, make("span", { class: "caption" }, words(one.name)), this.row);
  }

  fit() {
    fit(this.row);
  }

  show(seen) {
    const at = seen.channels[this.one.name];
    this.buttons.forEach((button, place) => mark(button, "aria-pressed", String(at !== null && place === Number(at))));
  }
}
