// Why nothing moves, and what to do: the first that this page can mend comes first. Reasons come as codes with
// a name; the words are the page's own, short enough for a head.

import { words } from "./make.js";

const AWAY = 0.03;
const SILENT_MS = 300;

/** What each code asks for; `name` is what it is about, `number` what it counts. */
const ASKS = {
  LEAVING: () => "It is leaving: arm is sent off.",
  NOTHING_READ: () => "There is no reading yet: nothing is sent.",
  STOP_PRESSED: () => "STOP is held at the handset.",
  STOP_UNREAD: (name) => `${name} has no reading: that counts as STOP.`,
  NEVER_AT_REST: (name) => `Let go: ${name} has not been at rest yet.`,
  ARM_UNREAD: (name) => `${name} has no reading.`,
  ARM_STILL_ON: () => "Switch arm off first.",
  NEVER_GIVEN: (name) => `${name} has not been given a value yet.`,
  SEARCHING: () => "No machine with this link's key has answered yet.",
  OVERTAKEN: () => "Another handset has driven: arm off and on takes over.",
  FIRST_FRAME: () => "The machine waits for a first frame.",
  ARM_OFF: () => "All at rest: hold Arm when all is clear.",
  SWITCH_ARM_OFF: () => "Switch arm off first.",
  NOT_AT_REST: (name) => `Bring to rest first: ${name}.`,
  NO_READING: (name) => `${name} has no reading: touch it.`,
  STOPPED: () => "Stopped: hold Arm to go on.",
  SILENCE: (_, number) => `Frames stopped arriving for ${number} ms; let go of everything.`,
  GAVE_UP: () => "The link was lost for long: it begins as at power-up.",
  GOOD_FRAMES: () => "The machine hears it: a moment more.",
  ONE_MORE_AT_REST: () => "Keep everything at rest for a moment.",
  STOP_SWITCH: (name) => `${name}, the machine's own stop, is pressed.`,
  LOW_BATTERY: (name) => `${name} is too low: come home.`,
  OWN_CODE: (_, number) => `The machine's own code stopped it, number ${number}.`,
};

/** What the machine says of its radio chip, by its number. */
const RADIO = ["", "did not answer", "forgot all it was told", "had changed", "keeps nothing it is told", "did not send"];

/** What the sentence is, of all that is known. */
export function whyOf(now, live, hands, link, said, low) {
  if (!live.joined) return live.why;
  if (now - live.heardAt > SILENT_MS) return "This page's program is silent: nothing here is true now.";
  if (!said) return "It has just connected.";
  const seen = said.state;
  if (live.pressed) return "STOP is held.";
  if (said.stops) return "STOP is held on another page.";
  const [code] = seen.reason;
  if (code === "STOP_PRESSED" || code === "STOP_UNREAD") return ask(seen.reason);
  if (said.driver === 0) return "Nobody drives: take the hand.";
  if (!live.drives) return `Page ${said.driver} drives; this page watches. STOP works from here.`;
  if (hands.isTooSmall()) return "Too small to drive: turn the phone, or make the window larger.";
  if (!hands.mayDrive()) return "This page is not in front: touch it.";
  if (link.records) return "What your hands do is written down; nothing moves.";
  const state = seen.state ?? (link.two_way ? null : seen.machine?.state);
  if (link.two_way && !seen.state) return "The machine is not heard: is it on, in range, its cable in?";
  const away = link.controls.filter((one) => isAway(one, hands, seen)).map((one) => words(one.name));
  if (state === "FAILSAFE") {
    const lost = seen.radio ? `The radio chip ${RADIO[seen.radio]}` : "Frames stopped arriving";
    return away.length ? `${lost}; let go of ${listed(away)}.` : `${lost}; it goes on when all rests.`;
  }
  const waits = said.waits.filter((name) => hands.isAway(name)).map(words);
  if (waits.length) return `Let go: ${listed(waits)} has not been at rest yet.`;
  if (code !== "NOTHING" && code !== "STOPPED") return ask(seen.reason);
  if (state === "STOPPED") return away.length ? `Stopped. Bring to rest: ${listed(away)}.` : "Stopped: hold Arm to go on.";
  const machine = seen.machine?.reason ?? ["NOTHING", "", 0];
  if (state !== "ARMED") {
    if (away.length && ["NOT_AT_REST", "ARM_OFF", "NOTHING"].includes(machine[0])) return `Bring to rest first: ${listed(away)}.`;
    return machine[0] !== "NOTHING" ? ask(machine) : "It has just begun.";
  }
  if (machine[0] === "LOW_BATTERY" || low) return "Battery low: it goes slower now. Come home.";
  if (machine[0] !== "NOTHING") return ask(machine);
  return follows(link, hands, seen, said);
}

function follows(link, hands, seen, said) {
  if (said.slow) return `This network is slow: ${said.trip_ms} ms.`;
  if (seen.radio) return `The machine's radio chip ${RADIO[seen.radio]}.`;
  if (seen.lets_go) return "It is about to let go of its load.";
  const none = link.controls.find((one) => !one.sets_channel && one.feeds.length && seen.controls[one.name]?.[1] === null);
  if (none) return `${words(none.name)} has no reading: what it feeds rests.`;
  const level = (name) => seen.controls[name]?.[1] ?? 0;
  for (const one of link.controls) {
    if (one.kind !== "slider" || level(one.name)) continue;
    const scaled = one.scales.find((wire) => link.controls.some((other) => other.feeds.some((fed) => fed.channel === wire.channel) && level(other.name)));
    if (scaled) return `${words(one.name)} is at 0 %: ${words(scaled.channel)} counts for nothing.`;
  }
  const slows = link.controls.find((one) => one.kind !== "slider" && one.scales.length && level(one.name));
  if (slows) return `It follows your hand, slowed by ${words(slows.name)}.`;
  const rests = Object.values(seen.machine?.outputs ?? {}).every((told) => !told[2]);
  return rests ? "All at rest: it waits for your hand." : "It follows your hand.";
}

/** Whether something that turns what it feeds is away from rest. */
function isAway(one, hands, seen) {
  if (one.by_host || one.kind === "slider" || !one.feeds.some((fed) => fed.turning)) return false;
  const level = one.sets_channel ? seen.channels[one.name] : seen.controls[one.name]?.[1];
  return Math.abs(level ?? 0) > 1000 * AWAY || (hands.isAway(one.name) && Math.abs(level ?? 0) > 0);
}

function ask([code, name, number]) {
  const say = ASKS[code];
  return say ? sentence(say(words(name), number)) : "It has just begun.";
}

const listed = (all) => all.slice(0, 2).join(" and ") + (all.length > 2 ? " and more" : "");

function sentence(text) {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** The longest that the head has to hold, so that it is measured once. */
export const LONGEST = {
  states: [
    ["NOT CONNECTED", ""],
    ["NOT HEARD", "for 123.4 s"],
    ["STANDBY", "simulated, one way"],
  ],
  facts: (link) => (link.two_way ? ["▼ LOW 12.4 V", "heard 0.1 s", "armed 12:34"] : ["one way", "armed 12:34"]),
  why: (link) => {
    const longest = link.controls.map((one) => words(one.name)).sort((one, other) => other.length - one.length)[0] ?? "";
    return [
      "The machine is not heard: is it on, in range, its cable in?",
      "Page 2 drives; this page watches. STOP works from here.",
      `Let go: ${longest} has not been at rest yet.`,
    ];
  },
};
