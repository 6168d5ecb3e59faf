// Which widget each control gets, and where: two axes of one stick are a square, buttons of a rocker stand
// together, and what a thumb does lies under that thumb.

import { make, words } from "./make.js";
import { Arm, Choice, Press, Slide, Stick } from "./widgets.js";

const ENDS = /_?(x|y)$/;

/** How much a column holds on a screen of 800 lines, in such lines; a widget's weight is its height. */
const ROOM = 660;
const HEIGHTS = { along: 310, across: 160, square: 330, slide: 150, group: 130, press: 85 };

/** The other axis of the same stick: by its name, or by what of a pad moves it. */
function partner(one, axes) {
  const stem = (other) => {
    const named = ENDS.test(other.name) ? other.name.replace(ENDS, "") : null;
    const source = other.source && ENDS.test(other.source) ? other.source.replace(ENDS, "") : null;
    return [named, source];
  };
  const [named, source] = stem(one);
  return axes.find((other) => {
    if (other === one || Boolean(other.across) === Boolean(one.across)) return false;
    const [theirs, from] = stem(other);
    return (named && named === theirs) || (source && source === from);
  });
}

/** Make all widgets of a link, and put them into the page. */
export function lay(link, hands) {
  const widgets = [];
  const taken = new Set(link.arm);
  const boxes = { left: box("hands-left"), right: box("hands-right"), more: box("hands-more") };
  const weights = { left: 0, right: 0 };
  const stand = (where, element, weight) => {
    // What lies under no thumb goes where there is most room; what finds none, below.
    const emptier = weights.left <= weights.right ? "left" : "right";
    const side = where ?? (weights[emptier] + weight <= ROOM ? emptier : "more");
    if (side in weights) weights[side] += weight;
    boxes[side].append(element);
  };
  const add = (where, widget, weight) => {
    widgets.push(widget);
    stand(where, widget.element, weight);
  };
  const axes = link.controls.filter((one) => one.kind === "axis" && !taken.has(one.name));
  const sticks = [];
  for (const one of axes) {
    if (taken.has(one.name)) continue;
    const other = partner(one, axes.filter((axis) => !taken.has(axis.name)));
    taken.add(one.name);
    if (other) taken.add(other.name);
    sticks.push([one, other].filter(Boolean));
  }
  sticks.forEach((both, at) => {
    const across = both.find((one) => one.across) ?? null;
    const along = both.find((one) => !one.across) ?? null;
    const where = at % 2 ? "right" : "left";
    add(where, new Stick(hands, across, along), HEIGHTS[across && along ? "square" : across ? "across" : "along"]);
  });
  for (const one of link.controls) {
    if (taken.has(one.name)) continue;
    if (["slider", "value", "count"].includes(one.kind)) {
      taken.add(one.name);
      add(null, new Slide(hands, one), HEIGHTS.slide);
    } else if (["choice", "flag"].includes(one.kind)) {
      taken.add(one.name);
      add(null, new Choice(hands, one), HEIGHTS.press);
    }
  }
  const byName = new Map(link.controls.map((one) => [one.name, one]));
  for (const made of link.made) {
    const row = make("div", { class: "row" });
    const group = make("div", { class: "widget group", role: "group", "aria-label": words(made.name) });
    group.append(make("span", { class: "label" }, words(made.name)), row);
    if (made.does.length) group.append(make("span", { class: "does" }, made.does.join("; ")));
    for (const part of made.parts) {
      const one = byName.get(part);
      if (!one || taken.has(part)) continue;
      taken.add(part);
      const press = new Press(hands, { ...one, does: [] }, words(part));
      widgets.push(press);
      row.append(press.element);
    }
    if (row.childElementCount) stand(null, group, HEIGHTS.group);
  }
  for (const one of link.controls) {
    if (taken.has(one.name) || !["button", "key"].includes(one.kind)) continue;
    add(null, new Press(hands, one), HEIGHTS.press);
  }
  for (const name of link.arm) {
    const one = byName.get(name);
    if (!one) continue;
    const arm = one.kind === "axis" || one.kind === "slider" ? new Slide(hands, one) : new Arm(hands, one, link.arm_channel);
    widgets.push(arm);
    document.getElementById("arm-box").append(arm.element);
  }
  hands.widgets = widgets;
  return widgets;
}

function box(id) {
  const element = document.getElementById(id);
  element.replaceChildren();
  return element;
}
