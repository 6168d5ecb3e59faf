// Numbers are typed on digits of the page's own, in the stage: the keyboard of a phone would cover stop.

import { make, words, write } from "./make.js";

const KEYS = ["7", "8", "9", "4", "5", "6", "1", "2", "3", "−", "0", "."];

const LETTERS = [..."abcdefghijklmnopqrstuvwxyz0123456789-_.,", " "];

/** The keys of a field that asks for no keyboard of the system's: digits, or letters too. */
export function keysFor(field, letters = false) {
  const add = (key) => {
    field.value = key === "−" ? (field.value.startsWith("-") ? field.value.slice(1) : `-${field.value}`) : field.value + key;
  };
  const keys = (letters ? LETTERS : KEYS).map((key) => make("button", { type: "button", onclick: () => add(key) }, key === " " ? "space" : key));
  const back = make("button", { type: "button", "aria-label": "delete the last", onclick: () => (field.value = field.value.slice(0, -1)) }, "⌫");
  return make("div", { class: letters ? "keys letters" : "keys" }, ...keys, back);
}

export class Digits {
  constructor(page, tabs) {
    this.page = page;
    this.tabs = tabs;
  }

  /** Ask for a number of a channel, in the unit of the link file; what is empty or out of range is refused, and
   *  nothing changes. */
  open(one, put) {
    const [first, last] = one.range;
    const unit = one.unit ? ` ${one.unit}` : "";
    const said = make("span", { class: "said", role: "alert" });
    const label = `${words(one.name)}, ${first} to ${last}${unit}`;
    const field = make("input", { type: "text", inputmode: "none", autocomplete: "off", "aria-label": label });
    const form = make("form", { class: "number" }, field, make("button", { type: "submit" }, `Set${unit}`), make("button", { type: "button", onclick: () => this.tabs.back() }, "Leave"), said);
    form.addEventListener("submit", (event) => {
      event.preventDefault();
      const text = field.value.trim().replace(",", ".");
      const number = Number(text);
      const [low, high] = first < last ? [first, last] : [last, first];
      if (text === "" || !Number.isFinite(number)) write(said, "give a number");
      else if (number < low || number > high) write(said, `from ${first} to ${last}${unit}`);
      else {
        const way = (number - first) / (last - first);
        put(one.rest === one.low ? way : 2 * way - 1);
        this.tabs.back();
      }
    });
    this.page.replaceChildren(make("h2", {}, label), form, keysFor(field));
    this.tabs.over(this.page);
    field.focus({ preventScroll: true });
  }
}
