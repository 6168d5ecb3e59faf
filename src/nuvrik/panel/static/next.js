// The next step, as one button far from stop: take the hand, hold to arm, disarm. A press that takes the hand
// arms nothing.

import { mark, write } from "./make.js";

const HOLD_MS = 600;

export class Next {
  constructor(live, hands, took) {
    this.live = live;
    this.hands = hands;
    this.button = /** @type {HTMLButtonElement} */ (document.getElementById("next"));
    this.word = document.getElementById("next-word");
    this.took = took;
    this.on = this.sent = false;
    this.button.addEventListener("pointerdown", (event) => {
      if (event.button > 0) return;
      this.button.setPointerCapture(event.pointerId);
      this.begin();
    });
    for (const name of ["pointerup", "pointercancel", "lostpointercapture", "blur"]) this.button.addEventListener(name, () => this.end());
    this.button.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      if (!event.repeat) this.begin();
    });
    this.button.addEventListener("keyup", (event) => {
      if (event.key === "Enter") this.end();
    });
    // A screen reader presses by a click alone, and holds nothing: what arms by that would arm by mistake.
    this.button.addEventListener("click", (event) => {
      if (event.detail === 0 && !this.live.drives) this.take();
    });
  }

  know(link) {
    this.link = link;
    // Of several controls that arm, the first that is not moved at the host.
    this.one = link.controls.find((one) => link.arm.includes(one.name) && !one.by_host) ?? null;
    // A switch of the handset's box stays on; so does this, until it is touched or the page is left.
    this.stays = this.one !== null && !this.one.toggles;
  }

  take() {
    this.took();
    this.live.takeHand();
  }

  begin() {
    if (!this.live.joined) return;
    if (!this.live.drives) this.take();
    else if (!this.one) this.live.give();
    else if (this.on) this.press(false);
    else {
      this.button.classList.add("arming");
      clearTimeout(this.timer);
      this.timer = setTimeout(() => {
        this.end();
        this.press(true);
      }, HOLD_MS);
    }
  }

  end() {
    clearTimeout(this.timer);
    this.button.classList.remove("arming");
  }

  press(on) {
    if (this.stays) this.hands.set(this.one.name, on ? this.one.high : this.one.rest);
    else {
      this.hands.press(this.one.name, true);
      this.hands.press(this.one.name, false);
    }
  }

  stops() {
    this.letGo();
  }

  letGo() {
    this.end();
    if (this.stays && this.one) this.hands.set(this.one.name, this.one.rest);
  }

  show(seen) {
    if (!this.one) return;
    const level = this.one.kind === "flag" ? seen.channels[this.one.name] : seen.controls[this.one.name]?.[1];
    this.on = Boolean(level);
    // A toggle that stayed on while the page was away arms nothing until it has been switched off.
    this.sent = Boolean(seen.channels[this.link.arm_channel]);
  }

  /** What a press of it would do now. */
  look() {
    const { live, button } = this;
    button.disabled = !live.joined;
    const armed = live.drives && this.on;
    mark(button, "aria-pressed", String(armed && this.sent));
    mark(document.body, "data-drives", String(live.drives));
    const arming = button.classList.contains("arming");
    const step = !this.one ? "Let go of the hand" : armed ? (this.sent ? "Disarm" : "Switch off first") : arming ? "Keep holding" : "Hold to arm";
    write(this.word, live.drives ? step : "Take the hand");
  }
}
