// What is seen: the state before all, why nothing moves, the link, what each output is told, what comes back.

import { make, mark, place, sentence, words, write } from "./make.js";
import { percent } from "./widgets.js";

const SILENT_MS = 300;
const NEWS = 8;

/** Numbers that change all the time are read no sooner than this. */
const LINK_MS = 150;
const SHAPES = {
  WAITING: "waiting",
  STANDBY: "standby",
  ARMED: "armed",
  FAILSAFE: "failsafe",
  STOPPED: "stopped",
};

const known = new Map();

function $(id) {
  if (!known.has(id)) known.set(id, document.getElementById(id));
  return known.get(id);
}

export class Eyes {
  constructor(live, hands) {
    this.live = live;
    this.hands = hands;
    this.link = null;
    this.said = null;
    this.outputs = new Map();
    this.gauges = new Map();
    this.news = [];
    this.state = "NOT CONNECTED";
    this.linkAt = 0;
    this.judges = () => {};
  }

  know(link) {
    this.link = link;
    this.said = null;
    this.armChannel = link.arm_channel;
    $("machine").hidden = link.records;
    write($("name"), link.name);
    document.title = `${link.name}: panel`;
    const box = $("outputs");
    box.replaceChildren();
    this.outputs.clear();
    for (const one of link.outputs) {
      const row = {
        bar: make("span", { class: "fill", "aria-hidden": "true" }),
        level: make("span", { class: "number" }),
        duty: make("span", { class: "number small" }),
        why: make("span", { class: "reason" }),
      };
      const meter = make("span", { class: "meter" }, row.bar);
      row.element = make("div", { class: "output", title: one.words }, make("b", {}, words(one.name)), meter, row.level, row.duty, row.why);
      this.outputs.set(one.name, row);
      box.append(row.element);
    }
    const gauges = $("gauges");
    gauges.replaceChildren();
    this.gauges.clear();
    for (const one of link.telemetry) {
      const gauge = {
        fill: make("span", { class: "fill", "aria-hidden": "true" }),
        text: make("span", { class: "number" }, "nothing heard yet"),
        mark: make("span", { class: "small" }),
        one,
      };
      const meter = one.range ? make("span", { class: "meter from-none" }, gauge.fill) : "";
      gauge.element = make("div", { class: "gauge" }, make("b", {}, words(one.name)), meter, gauge.text, gauge.mark);
      this.gauges.set(one.name, gauge);
      gauges.append(gauge.element);
    }
    $("gauges-head").hidden = link.telemetry.length === 0;
  }

  take(said) {
    this.said = said;
    for (const event of said.events) {
      if (event.news) this.tell(event.news);
      else if (event.refused) this.tell(`refused: ${event.refused.replaceAll("_", " ")}: ${event.words}`);
      else if (event.cues) beep();
      else if (event.judged) this.judges(event);
    }
  }

  tell(text) {
    this.news.unshift(text);
    this.news.length = Math.min(this.news.length, NEWS);
    $("news").replaceChildren(...this.news.map((one) => make("li", {}, one)));
  }

  /** The state in a word, and whether that is only what should be. */
  stateOf(now) {
    const { live, said } = this;
    if (!live.joined) return ["NOT CONNECTED", "none"];
    if (now - live.heardAt > SILENT_MS) return [`NOT HEARD FOR ${((now - live.heardAt) / 1000).toFixed(1)} S`, "lost"];
    if (!said) return ["CONNECTED", "none"];
    const seen = said.state;
    if (this.link.records) return ["RECORDING", "none"];
    if (!this.link.two_way) {
      const state = seen.machine?.state;
      if (!state) return ["SENDING", "none"];
      return [seen.machine.simulated ? state : `${state}, IF IT HEARS`, SHAPES[state]];
    }
    if (seen.state) return [seen.state, SHAPES[seen.state]];
    if (seen.age_ms === null || seen.age_ms === undefined) return ["NOTHING HEARD YET", "lost"];
    return [`NOT HEARD FOR ${(seen.age_ms / 1000).toFixed(1)} S`, "lost"];
  }

  /** Why nothing moves: what this page can mend first. */
  whyOf(now) {
    const { live, said, link } = this;
    if (!live.joined) return live.why;
    if (now - live.heardAt > SILENT_MS) return "The program that serves this page is silent: nothing here is true now.";
    if (!said) return "It has just connected.";
    const seen = said.state;
    if (said.stops) return "Stop is pressed.";
    if (said.driver === 0) return seen.why && seen.stopping ? sentence(seen.why) : "Nobody drives: take the hand.";
    if (!live.drives) return `Page ${said.driver} drives; this page watches. Stop works from here.`;
    if (!this.hands.mayDrive()) return "This page is not in front or does not paint: click into it.";
    if (link.records) return "What your hands do is written down; nothing is sent, and nothing moves.";
    // What is away from rest since before the hand was taken keeps all else back; the handset only sees that nothing comes.
    const away = said.waits.filter((name) => this.hands.isAway(name)).map(words);
    if (away.length) return `Let go: ${away.join(", ")} ${away.length > 1 ? "have" : "has"} not been at rest yet.`;
    if (seen.why) return sentence(seen.why);
    if (link.two_way && !seen.state) return "The machine is not heard: is it on, and its cable in?";
    const machine = seen.machine;
    const state = seen.state ?? machine?.state;
    const disarmed = state === "STANDBY" && !seen.channels[this.armChannel];
    if (disarmed && link.arm.length) return "Nothing is armed: hold Arm when all is clear.";
    if (machine?.why) return sentence(machine.why);
    if (seen.own_stop) return `Its own code has stopped it, with number ${seen.own_stop}.`;
    if (seen.lets_go) return "It is about to let go of its load.";
    if (state === "ARMED") return "It follows your hand.";
    if (state === "STOPPED") return "A stop was pressed: hold Arm to go on.";
    return "It has just begun.";
  }

  show(now) {
    const [word, shape] = this.stateOf(now);
    this.state = word.startsWith("NOT HEARD") ? "LOST" : word.split(",")[0];
    write($("state-word"), word);
    mark($("state"), "data-state", shape);
    write($("why"), this.whyOf(now));
    if (now - this.linkAt > LINK_MS) {
      this.linkAt = now;
      write($("link"), this.linkWords(now));
    }
    this.handWords();
    if (!this.said) return;
    const seen = this.said.state;
    const known = this.live.joined && now - this.live.heardAt <= SILENT_MS;
    this.showOutputs(known ? seen.machine : null);
    for (const [name, gauge] of this.gauges) this.showGauge(gauge, known ? seen.telemetry[name] : null);
  }

  linkWords(now) {
    const { said, live, link } = this;
    if (!said || !live.joined || now - live.heardAt > SILENT_MS) return "";
    const seen = said.state;
    const parts = [];
    if (!link.two_way) parts.push("one way: nothing comes back");
    else if (seen.age_ms === null || seen.age_ms === undefined) parts.push("nothing heard yet");
    else parts.push(`heard ${(seen.age_ms / 1000).toFixed(1)} s ago`);
    if (seen.held.length) parts.push(`on: ${seen.held.map(words).join(", ")}`);
    if (said.slow) parts.push("TOO SLOW: this network is too slow to drive well");
    if (said.late) parts.push(`${said.late} late`);
    const quality = seen.quality === null ? "" : ` (${seen.quality} %)`;
    parts.push(`${seen.sent_hz} frames a second${link.two_way ? `, ${seen.back_hz} back${quality}` : ""}`);
    if (seen.round_trip_ms !== null) parts.push(`machine ${seen.round_trip_ms} ms`);
    if (said.trip_ms !== null) parts.push(`page ${said.trip_ms} ms`);
    return parts.join("  ·  ");
  }

  handWords() {
    const { said, live } = this;
    const button = $("take");
    button.disabled = !live.joined;
    mark(button, "data-drives", String(live.drives));
    mark(document.body, "data-drives", String(live.drives));
    write(button, live.drives ? "Let go of the hand" : "Take the hand");
    if (!said) return;
    const who = said.driver === 0 ? "nobody drives" : live.drives ? "you drive" : `page ${said.driver} drives`;
    write($("hand"), `${who}; you are page ${live.page} of ${said.pages}`);
  }

  showOutputs(machine) {
    write(
      $("told-by"),
      machine ? (machine.simulated ? "the simulated machine" : "worked out here, from what is sent: what it should be told") : "not known now",
    );
    for (const [name, row] of this.outputs) {
      const told = machine?.outputs[name];
      place(row.bar, "--from", String(told ? Math.min(0, told[0]) / 1000 : 0));
      place(row.bar, "--to", String(told ? Math.max(0, told[0]) / 1000 : 0));
      mark(row.element, "data-driven", String(Boolean(told?.[2])));
      write(row.level, told ? percent(told[0]) : "?");
      write(row.duty, told ? String(told[1]) : "");
      // Why nothing may move stands above, once for all of them.
      write(row.why, told ? told[3].replace(/^(not armed|failsafe|stopped): [^;]*; /, "$1; ") : "");
    }
  }

  showGauge(gauge, reading) {
    const [value, text, lost, commanded] = reading ?? [null, "nothing heard yet", true, false];
    if (gauge.one.range) {
      const [low, high] = gauge.one.range;
      const share = typeof value === "number" && !lost ? Math.max(0, Math.min(1, (value - low) / (high - low))) : 0;
      place(gauge.fill, "--to", String(share));
    }
    mark(gauge.element, "data-lost", String(Boolean(lost)));
    write(gauge.text, text.replace(" (commanded)", ""));
    write(gauge.mark, commanded ? "commanded" : "");
  }
}

let sound = null;

/** A browser lets a page sound only after somebody has touched it. */
export function mayBeep() {
  sound ??= new AudioContext();
}

function beep() {
  if (!sound) return;
  const tone = sound.createOscillator();
  const volume = sound.createGain();
  tone.frequency.value = 880;
  volume.gain.value = 0.08;
  tone.connect(volume).connect(sound.destination);
  tone.start();
  tone.stop(sound.currentTime + 0.05);
}
