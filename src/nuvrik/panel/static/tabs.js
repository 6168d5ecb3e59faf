// The pages of the stage: one is open, the others are a touch or a swipe away. Sticks, stop and the next step
// are on none of them.

import { make, mark } from "./make.js";

const PAGES = {
  drive: "Drive",
  more: "More",
  check: "Check",
  first: "First drive",
  faults: "Faults",
  ask: "Ask",
  sheet: "Sheet",
  file: "Link file",
  settings: "Settings",
};
const SWIPE = 48;

const $ = (id) => document.getElementById(id);

export class Tabs {
  constructor() {
    this.open = "drive";
    this.buttons = [];
    this.names = [];
    let from = null;
    const pages = $("pages");
    pages.addEventListener("touchstart", (event) => {
      from = event.touches.length === 1 ? [event.touches[0].clientX, event.touches[0].clientY] : null;
    }, { passive: true });
    pages.addEventListener("touchend", (event) => {
      if (!from) return;
      const x = event.changedTouches[0].clientX - from[0];
      const y = event.changedTouches[0].clientY - from[1];
      from = null;
      if (Math.abs(x) > SWIPE && Math.abs(x) > 2 * Math.abs(y)) this.go(x < 0 ? 1 : -1);
    }, { passive: true });
  }

  /** Which pages a link has, with so many controls on the page More. */
  know(link, spilled) {
    if (!link) return;
    const without = {
      more: !spilled,
      first: link.records,
      faults: !link.faults.length,
      ask: link.records || !link.requests.length,
    };
    const names = Object.keys(PAGES).filter((name) => !without[name]);
    const text = (name) => (name === "more" ? `More (${spilled})` : PAGES[name]);
    if (names.join() !== this.names.join()) {
      this.names = names;
      this.buttons = names.map((name) => make("button", { type: "button", role: "tab", id: `tab-${name}`, "aria-controls": `page-${name}` }));
      this.buttons.forEach((button, at) => {
        button.addEventListener("click", () => this.show(names[at]));
        button.addEventListener("keydown", (event) => {
          const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
          if (way) this.go(way, true);
        });
      });
      $("tabs").replaceChildren(...this.buttons);
    }
    this.buttons.forEach((button, at) => (button.textContent = text(names[at])));
    this.show(names.includes(this.open) ? this.open : "drive");
  }

  go(way, focus = false) {
    const at = this.names.indexOf(this.open);
    const next = this.names[at + way] ?? (focus ? this.names[(at + way + this.names.length) % this.names.length] : null);
    if (!next) return;
    this.show(next);
    if (focus) this.buttons[this.names.indexOf(next)].focus();
  }

  show(name) {
    this.open = name;
    for (const other of Object.keys(PAGES)) $(`page-${other}`).hidden = other !== name;
    $("page-digits").hidden = true;
    this.buttons.forEach((button, at) => {
      const chosen = this.names[at] === name;
      mark(button, "aria-selected", String(chosen));
      button.tabIndex = chosen ? 0 : -1;
      if (chosen) button.scrollIntoView({ inline: "nearest", block: "nearest" });
    });
    $("pages").scrollTop = 0;
  }

  /** A page of its own for a while, over the one that is open. */
  over(page) {
    for (const other of Object.keys(PAGES)) $(`page-${other}`).hidden = true;
    page.hidden = false;
    $("pages").scrollTop = 0;
  }

  back() {
    this.show(this.open);
  }
}
