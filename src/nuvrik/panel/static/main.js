// The page as a whole: what knows the link, and one look at everything in each frame of the screen.

import { Chart } from "./chart.js";
import { Eyes, mayBeep } from "./eyes.js";
import { FirstDrive } from "./first.js";
import { Hands } from "./hands.js";
import { Keys, stopKeys } from "./keys.js";
import { lay } from "./layout.js";
import { Live } from "./live.js";
import { Pads } from "./pads.js";
import { askPage, Check, Faults, filePage, sheetPage, tabs } from "./pages.js";

const $ = (id) => document.getElementById(id);

const hands = new Hands();
const check = new Check();
const faults = new Faults();
const chart = new Chart($("chart"), $("chart-names"));
let keys = null;
let pads = null;
let fresh = false;
let shownAs = "";

const live = new Live(hands, {
  knows(link) {
    // The same link again, after a break: what is on the page stays.
    const text = JSON.stringify(link);
    if (text === shownAs) return;
    shownAs = text;
    $("arm-box").replaceChildren();
    hands.know(link.controls);
    const widgets = lay(link, hands);
    keys = new Keys(hands, link.controls, link.stop, (down) => press("its key", down));
    pads = new Pads(hands, link.controls, link.stop, (down) => press("its pad", down));
    widgets.push(keys, pads);
    eyes.know(link);
    chart.know(link);
    check.know(link);
    faults.know(link, live);
    first.know(link);
    askPage(link, live);
    sheetPage(link);
    filePage(link);
    tabs(link);
    if (!isSecureContext) eyes.tell("over plain HTTP this browser may refuse gamepads, and let the screen go dark");
  },
  told(said) {
    eyes.take(said);
    first.take(said);
    fresh = true;
  },
  changed() {
    fresh = false;
  },
});
const eyes = new Eyes(live, hands);
const first = new FirstDrive(live, $("page-first"));

eyes.judges = (event) => faults.judge(event);
hands.moved = () => live.moved();
hands.gone = () => live.letGo();

const stop = $("stop");
const held = new Set();
function press(by, down) {
  if (held.has(by) === down) return;
  if (down) held.add(by);
  else held.delete(by);
  stop.classList.toggle("held", held.size > 0);
  if (down) hands.stops();
  live.stop(held.size > 0);
}
stopKeys((down) => press("key", down));
stop.addEventListener("pointerdown", (event) => {
  stop.setPointerCapture(event.pointerId);
  press("pointer", true);
});
for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) {
  stop.addEventListener(name, () => press("pointer", false));
}
stop.addEventListener("keydown", (event) => {
  if (event.key === "Enter") press("Enter", true);
});
stop.addEventListener("keyup", (event) => {
  if (event.key === "Enter") press("Enter", false);
});
stop.addEventListener("click", (event) => {
  if (event.detail !== 0) return;
  press("click", true);
  setTimeout(() => press("click", false), 100);
});

$("take").addEventListener("click", () => {
  mayBeep();
  if (live.drives) live.give();
  else live.takeHand();
  navigator.wakeLock?.request("screen").catch(() => {});
});

/** Nothing new has come: how long ago that was is still told, ten times a second. */
const IDLE_MS = 100;
let lookedAt = 0;

function look(now) {
  requestAnimationFrame(look);
  hands.paints(now);
  pads?.sample();
  chart.draw(now);
  if (!fresh && now - lookedAt < IDLE_MS) return;
  lookedAt = now;
  eyes.show(performance.now());
  if (eyes.said) chart.take(eyes.state, eyes.said.state, now);
  if (!fresh || !eyes.said) return;
  fresh = false;
  const seen = eyes.said.state;
  for (const widget of hands.widgets) widget.show?.(seen);
  check.show(seen, hands, keys, pads);
  faults.show(seen);
}

requestAnimationFrame(look);
live.open();
