// Which control goes where: ranks from the link file alone, never by hand. 0 to 2 want a big place of their
// own, one a thumb; the rest stand near, the lowest rank next to the stick.

const ENDS = /_?(x|y)$/;
const LEFT = ["throttle", "left"];
const RIGHT = ["turn", "right"];

const turns = (one) => one.feeds.some((fed) => fed.turning);
const scales = (one) => one.scales.some((scaled) => scaled.turning);

/** The other axis of the same stick: by its name, or by what of a pad moves it. */
function partner(one, axes) {
  const stems = (other) => [other.name, other.source ?? ""].map((name) => (ENDS.test(name) ? name.replace(ENDS, "") : null));
  const [named, source] = stems(one);
  return axes.find((other) => {
    if (other === one || Boolean(other.across) === Boolean(one.across)) return false;
    const [theirs, from] = stems(other);
    return (named !== null && named === theirs) || (source !== null && source === from);
  });
}

function sideOf(feeds) {
  const roles = feeds.map((fed) => fed.role);
  if (roles.some((role) => LEFT.includes(role))) return "left";
  return roles.some((role) => RIGHT.includes(role)) ? "right" : null;
}

function rankOf(one) {
  if (one.kind === "value" || one.kind === "count") return turns(one) ? 1 : 6;
  if (one.kind === "slider") return turns(one) || scales(one) ? 3 : 6;
  if (one.kind === "axis") return turns(one) ? 0 : 2;
  if (turns(one) && !one.toggles) return 4;
  if (scales(one)) return 5;
  return one.toggles || one.kind === "flag" || one.kind === "choice" ? 8 : 7;
}

const MADE = { rocker: 7, selector: 9, nudge: 10 };

/** Everything that has a place on the page, the first ranks first: `is` says what it is drawn as, `all` which
 *  controls it moves, `side` where it belongs, `half` whether two of them share a slot. */
export function ranked(link) {
  const used = new Set(link.arm);
  const byName = new Map(link.controls.map((one) => [one.name, one]));
  const items = [];
  const axes = link.controls.filter((one) => one.kind === "axis" && !used.has(one.name));
  for (const one of axes) {
    if (used.has(one.name)) continue;
    const other = partner(one, axes.filter((axis) => !used.has(axis.name)));
    const all = [one, other].filter(Boolean);
    all.forEach((axis) => used.add(axis.name));
    items.push({ is: "stick", all, rank: Math.min(...all.map(rankOf)), side: sideOf(all.flatMap((axis) => axis.feeds)) });
  }
  for (const made of link.made) {
    const all = made.parts.filter((part) => !used.has(part) && byName.has(part)).map((part) => byName.get(part));
    all.forEach((one) => used.add(one.name));
    if (all.length) items.push({ is: "group", made, all, rank: turns(made) ? 4 : MADE[made.kind], side: sideOf(made.feeds) });
  }
  for (const one of link.controls) {
    if (used.has(one.name)) continue;
    const is = ["slider", "value", "count"].includes(one.kind) ? "slide" : one.kind === "choice" ? "choice" : "press";
    items.push({ is, all: [one], rank: rankOf(one), side: sideOf(one.feeds), half: is === "press" });
  }
  return items.map((item, at) => ({ ...item, at })).sort((one, other) => one.rank - other.rank || one.at - other.at);
}

/** What stands in the big places, by side. With no stick at all the two ways of what turns do. */
export function bigOnes(items) {
  const big = {};
  for (const item of items.filter((one) => one.rank <= 2)) {
    const side = item.side && !big[item.side] ? item.side : ["left", "right"].find((one) => !big[one]);
    if (!side) break;
    big[side] = item;
  }
  if (Object.keys(big).length) return big;
  const rocker = items.find((one) => one.is === "group" && one.rank === 4 && one.all.length === 2);
  return rocker ? { left: { ...rocker, part: 0, of: rocker }, right: { ...rocker, part: 1, of: rocker } } : big;
}
