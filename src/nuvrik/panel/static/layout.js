// Seven lanes, and what stands in them. Sizes come from the window, ranks from the link file; widgets are made
// once and then only moved, and never while one of them is held.

import { bigOnes, ranked } from "./rank.js";
import { make, write } from "./make.js";
import { Slot, Stick, Tall } from "./sticks.js";
import { Choice, Group, Press } from "./widgets.js";

const $ = (id) => document.getElementById(id);
const GAP = 6;
const SLOT = 48;
const TAB = 44;
const LEAST_MIDDLE = [100, 6];
const LEAST_STAGE = [84, 4.5];
const SIDE_BY_SIDE = matchMedia("(min-width: 640px), (max-height: 479.9px)");
const SIDES = ["left", "right"];

/** The head is as wide, in units, as its words need in one line, and in two. */
const ONE_LINE = 47;
const TWO_LINES = 37;
const TIGHT = 21.5;

const px = (element, name) => parseFloat(getComputedStyle(element)[name]) || 0;

export class Layout {
  /** hands: what knows whether anything is held; longest: the longest words of the head. */
  constructor(hands, longest, laid) {
    this.hands = hands;
    this.longest = longest;
    this.laid = laid;
    this.swapped = false;
    this.items = [];
    this.late = false;
    addEventListener("resize", () => this.again());
    document.addEventListener("fullscreenchange", () => this.again());
    // The reader's text has another size.
    new ResizeObserver(() => this.again()).observe($("unit"));
  }

  /** Make all widgets of a link; gives them. */
  know(link) {
    this.link = link;
    this.items = ranked(link);
    this.big = bigOnes(this.items);
    const bigOnly = new Set(Object.values(this.big).map((item) => item.of ?? item));
    this.bigs = Object.entries(this.big).map(([side, item]) => ({ side, widget: this.large(item) }));
    const single = this.items.filter((item) => !bigOnly.has(item));
    this.slots = [];
    let half = null;
    for (const item of single) {
      const widget = this.small(item);
      if (!item.half) {
        this.slots.push({ widgets: [widget], element: widget.element, side: item.side });
      } else if (half) {
        half.widgets.push(widget);
        half.element.append(widget.element);
        half = null;
      } else {
        half = { widgets: [widget], element: make("div", { class: "pair" }, widget.element), side: null };
        this.slots.push(half);
      }
    }
    this.widgets = [...this.bigs.map(({ widget }) => widget), ...this.slots.flatMap((slot) => slot.widgets)];
    this.lay();
    return this.widgets;
  }

  large(item) {
    if (item.is === "stick") return new Stick(this.hands, item.all);
    if (item.is === "group") return new Press(this.hands, item.all[item.part], { kind: item.made.kind, large: true });
    return new Tall(this.hands, item.all[0]);
  }

  small(item) {
    if (item.is === "stick") return new Stick(this.hands, item.all);
    if (item.is === "group") return new Group(this.hands, item.made, item.all);
    if (item.is === "slide") return new Slot(this.hands, item.all[0]);
    if (item.is === "choice") return new Choice(this.hands, item.all[0]);
    return new Press(this.hands, item.all[0]);
  }

  /** Lay everything anew; later, if a hand is on something. */
  again() {
    if (!this.link) return;
    if (this.hands.held.size) {
      this.late = true;
      return;
    }
    this.late = false;
    this.lay();
  }

  /** Something was let go. */
  freed() {
    if (this.late && !this.hands.held.size) requestAnimationFrame(() => this.again());
  }

  swap(on) {
    this.swapped = on;
    this.again();
  }

  lay() {
    const side = SIDE_BY_SIDE.matches;
    const rem = px(document.documentElement, "fontSize");
    const unit = $("unit").getBoundingClientRect().width;
    const head = $("head");
    const wide = (innerWidth - px(head, "paddingLeft") - px(head, "paddingRight") + 20) / unit;
    const how = { side, two: side && wide < ONE_LINE && wide >= TWO_LINES, three: side && wide < TWO_LINES, tight: !side && wide < TIGHT };
    for (const [name, on] of Object.entries(how)) document.body.classList.toggle(name, on);
    const at = (one) => (this.swapped ? { left: "right", right: "left" }[one] : one);
    const zones = Object.fromEntries(SIDES.map((one) => [one, $(`big-${one}`)]));
    for (const id of ["big-left", "big-right", "near-left", "near-right", "near-middle", "more"]) $(id).replaceChildren();
    for (const { side: one, widget } of this.bigs) {
      if (widget.under) widget.element.append(widget.under);
      zones[at(one)].append(widget.element);
    }
    for (const one of SIDES) document.body.classList.toggle(`no-${one}`, !zones[one].childElementCount);
    this.measureHead();
    // Where nothing would be left to look at, what stands under a stick gives way.
    const under = this.bigs.map(({ widget }) => widget.under).filter(Boolean);
    const low = SIDES.some((one) => zones[one].getBoundingClientRect().bottom > innerHeight);
    const short = low || (!side && $("stage").clientHeight < TAB + Math.max(LEAST_STAGE[0], LEAST_STAGE[1] * rem));
    if (short) $("more").append(...under);
    this.place(side, rem, unit);
    if (short) this.spilledCount += under.length;
    this.laid();
  }

  /** Slots go to the emptier side, upwards, by rank; what finds no room there stands above stop, and then in
   *  More. What does not fit lets the next one try. */
  place(side, rem, unit) {
    const stage = $("stage");
    const empty = (one) => !$(`big-${one}`).childElementCount;
    const into = Object.fromEntries(SIDES.map((one) => [one, $(!side && empty(one) ? `big-${one}` : `near-${one}`)]));
    const least = TAB + Math.max(LEAST_STAGE[0], LEAST_STAGE[1] * rem);
    const rows = Math.max(0, Math.min(4 * (SLOT + GAP), stage.clientHeight - least));
    const room = (one) => (side ? $(`near-${one}`).clientHeight : empty(one) ? Math.max(into[one].clientHeight, 0) : rows) + GAP;
    const free = Object.fromEntries(SIDES.map((one) => [one, room(one)]));
    if (!side && empty("left") && empty("right")) for (const one of SIDES) free[one] = rows + GAP;
    const columns = Math.max(1, Math.floor((stage.clientWidth + GAP) / (9 * unit + GAP)));
    const keeps = stage.clientHeight - TAB - SLOT - GAP >= Math.max(LEAST_MIDDLE[0], LEAST_MIDDLE[1] * rem);
    let middle = side && keeps ? columns : 0;
    this.spilled = [];
    for (const slot of this.slots) {
      const one = free.right > free.left + 1 ? "right" : "left";
      into[one].prepend(slot.element);
      slot.widgets.forEach((widget) => widget.fit?.());
      const high = Math.max(SLOT, slot.element.offsetHeight) + GAP;
      if (high <= free[one]) {
        free[one] -= high;
        continue;
      }
      slot.element.remove();
      if (middle > 0 && high <= SLOT + GAP) {
        middle -= 1;
        $("near-middle").append(slot.element);
        slot.widgets.forEach((widget) => widget.fit?.());
      } else {
        this.spilled.push(slot);
        $("more").append(slot.element);
      }
    }
    this.spilledCount = this.spilled.reduce((sum, slot) => sum + slot.widgets.length, 0);
  }

  /** The head is as high as its longest words need; then nothing moves when the words change. */
  measureHead() {
    const [head, why, facts] = ["head", "why", "facts"].map($);
    const before = ["state-word", "state-more", "why", "next-word"].map((id) => [$(id), $(id).textContent]);
    const kept = [...facts.childNodes];
    head.style.setProperty("min-height", "0");
    facts.replaceChildren(...this.longest.facts(this.link).map((text) => make("li", {}, text)));
    write($("next-word"), "Take the hand");
    let most = 0;
    for (const [word, more] of this.longest.states) {
      write($("state-word"), word);
      write($("state-more"), more);
      for (const text of this.longest.why(this.link)) {
        write(why, text);
        most = Math.max(most, Math.ceil(head.getBoundingClientRect().height));
      }
    }
    for (const [element, text] of before) write(element, text);
    facts.replaceChildren(...kept);
    head.style.setProperty("min-height", `${most}px`);
  }
}
