// The page as a whole: what knows the link, and one look at everything in each frame of the screen.

import { Chart } from "./chart.js";
import { Digits } from "./digits.js";
import { Eyes } from "./eyes.js";
import { secondFingers } from "./fingers.js";
import { FirstDrive } from "./first.js";
import { Hands } from "./hands.js";
import { Keys, stopKeys } from "./keys.js";
import { Layout } from "./layout.js";
import { Live } from "./live.js";
import { Next } from "./next.js";
import { Pads } from "./pads.js";
import { askPage, Check, Faults, filePage, sheetPage } from "./pages.js";
import { settingsPage } from "./settings.js";
import { Tabs } from "./tabs.js";
import { LONGEST } from "./why.js";

const $ = (id) => document.getElementById(id);

const hands = new Hands();
const check = new Check();
const faults = new Faults();
const chart = new Chart($("chart"), $("chart-names"));
const tabs = new Tabs();
const digits = new Digits($("page-digits"), tabs);
let keys = null;
let pads = null;
let fresh = false;
let unread = false;
let shownAs = "";

const live = new Live(hands, {
  knows(link) {
    // The same link again, after a break: what is on the page stays.
    const text = JSON.stringify(link);
    if (text === shownAs) return;
    shownAs = text;
    hands.know(link.controls);
    next.know(link);
    eyes.know(link);
    chart.know(link);
    check.know(link);
    faults.know(link, live);
    first.know(link);
    askPage(link, live);
    sheetPage(link);
    filePage(link);
    settingsPage(eyes, live, layout);
    const widgets = [...layout.know(link), next];
    keys = new Keys(hands, link.controls, link.stop, (down) => press("its key", down));
    pads = new Pads(hands, link.controls, link.stop, (down) => press("its pad", down));
    pads.assigns($("assign"));
    hands.widgets = [...widgets, keys, pads];
    if (!isSecureContext) eyes.tell("over plain HTTP this browser may refuse gamepads, and let the screen go dark");
  },
  told(said) {
    eyes.take(said);
    first.take(said);
    fresh = unread = true;
  },
  changed() {
    fresh = false;
  },
});
const eyes = new Eyes(live, hands);
const first = new FirstDrive(live, $("page-first"));
const layout = new Layout(hands, LONGEST, () => tabs.know(eyes.link, layout.spilledCount));
const next = new Next(live, hands, () => {
  eyes.signals.wake();
  stayAwake();
});

eyes.judges = (event) => faults.judge(event);
hands.moved = () => live.moved();
hands.gone = () => live.letGo();
hands.freed = () => layout.freed();
hands.types = (one, put) => digits.open(one, put);

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

/** The screen stays on while this page drives; a page that was away has to ask again. */
function stayAwake() {
  navigator.wakeLock?.request("screen").catch(() => {});
}
document.addEventListener("visibilitychange", () => {
  if (document.visibilityState === "visible" && live.drives) stayAwake();
});

$("mark").addEventListener("click", () => live.mark());

$("full").addEventListener("click", () => {
  if (document.fullscreenElement) document.exitFullscreen();
  else document.documentElement.requestFullscreen?.().catch(() => {});
});

/** Nothing new has come: how long ago that was is still told, ten times a second; and nobody reads a number
 *  that changes more often, so bars and knobs follow each frame, and figures so often. */
const IDLE_MS = 100;
let lookedAt = 0;
let readAt = 0;

function look(now) {
  requestAnimationFrame(look);
  hands.paints(now);
  pads?.sample();
  chart.draw(now);
  next.look();
  const reads = now - readAt >= IDLE_MS;
  if (!fresh && !(unread && reads) && now - lookedAt < IDLE_MS) return;
  lookedAt = now;
  eyes.show(performance.now(), reads);
  if (eyes.said) chart.take(eyes.state, eyes.said.state, now);
  if (!(fresh || (unread && reads)) || !eyes.said) return;
  fresh = false;
  if (reads) {
    readAt = now;
    unread = false;
  }
  const seen = eyes.said.state;
  for (const widget of hands.widgets) widget.show?.(seen, reads);
  check.show(seen, hands, keys, pads);
  faults.show(seen);
}

secondFingers();
requestAnimationFrame(look);
live.open();
