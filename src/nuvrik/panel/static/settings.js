// What a reader of the page may have otherwise; kept for as long as the tab is open.

import { make, mark, write } from "./make.js";

const KEPT = "panel-settings";

export function settingsPage(eyes, live, layout) {
  const kept = JSON.parse(sessionStorage.getItem(KEPT) ?? "{}");
  const keep = (name, on) => {
    kept[name] = on;
    sessionStorage.setItem(KEPT, JSON.stringify(kept));
  };
  const toggle = (name, text, from, set) => {
    const word = make("small", {});
    const button = make("button", { type: "button", class: "press stay", "aria-pressed": "false", onclick: () => turn(!(kept[name] ?? from)) }, text, word);
    const turn = (on) => {
      keep(name, on);
      set(on);
      mark(button, "aria-pressed", String(on));
      write(word, on ? "● on" : "○ off");
    };
    turn(kept[name] ?? from);
    return button;
  };
  const shakes = typeof navigator.vibrate === "function";
  document.getElementById("page-settings").replaceChildren(
    make("h2", {}, "Settings of this page"),
    make(
      "div",
      { class: "more" },
      toggle("sound", "Sound", true, (on) => (eyes.signals.sounds = on)),
      toggle("shake", "Vibration", true, (on) => (eyes.signals.shakes = on)),
      toggle("swap", "Left and right swapped", false, (on) => layout.swap(on)),
      make("button", { type: "button", onclick: () => (eyes.armedMs = 0) }, "Run timer to zero"),
      make("button", { type: "button", onclick: () => live.give() }, "Let go of the hand"),
    ),
    make("p", { class: "small" }, `Sound and vibration come when an armed link is lost and when its battery is low; the head shows both.${shakes ? "" : " This browser cannot vibrate."}`),
  );
}
