// What is seen: the state before all, why nothing moves, the link, what each output is told, what comes back.

import { make, mark, place, words, write } from "./make.js";
import { Signals } from "./signals.js";
import { percent } from "./sticks.js";
import { whyOf } from "./why.js";

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
    this.judges = (_event) => {};
    this.signals = new Signals();
    this.armedMs = 0;
    this.low = false;
    this.wasArmed = false;
  }

  know(link) {
    this.link = link;
    this.said = null;
    this.factsShown = "";
    $("machine").hidden = link.records;
    $("one-way").hidden = link.two_way;
    write($("name"), link.name);
    mark($("lock"), "data-shut", String(Boolean(link.key)));
    mark($("lock"), "aria-label", link.key ? "authenticated" : "not authenticated");
    write($("key"), link.key ? `key ${link.key}` : "no key");
    document.title = `${link.name}: panel`;
    const box = $("outputs");
    box.replaceChildren();
    this.outputs.clear();
    for (const one of link.outputs) {
      const row = {
        bar: make("span", { class: "fill", "aria-hidden": "true" }),
        level: make("span", { class: "number" }),
        why: make("span", { class: "reason" }),
      };
      const meter = make("span", { class: "meter" }, row.bar);
      row.element = make("div", { class: "output", title: one.words }, make("b", {}, words(one.name)), row.level, meter, row.why);
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
      gauge.element = make("div", { class: one.range ? "gauge" : "gauge whole" }, make("b", {}, words(one.name)), gauge.text, meter, gauge.mark);
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
      else if (event.cues) this.signals.cue();
      else if (event.judged) this.judges(event);
    }
  }

  tell(text) {
    this.news.unshift(text);
    this.news.length = Math.min(this.news.length, NEWS);
    $("news").replaceChildren(...this.news.map((one) => make("li", {}, one)));
  }

  /** The state in a word, its shape, and what is to be said beside it. */
  stateOf(now) {
    const { live, said } = this;
    if (!live.joined) return ["NOT CONNECTED", "none", ""];
    const silent = now - live.heardAt;
    if (silent > SILENT_MS) return ["NOT HEARD", "lost", `for ${(silent / 1000).toFixed(1)} s`];
    if (!said) return ["CONNECTED", "none", ""];
    const seen = said.state;
    if (this.link.records) return ["RECORDING", "none", ""];
    const simulated = seen.machine?.simulated;
    if (!this.link.two_way) {
      const state = seen.machine?.state;
      return state ? [state, SHAPES[state], simulated ? "simulated, one way" : "if it hears"] : ["SENDING", "none", "one way"];
    }
    if (seen.state) return [seen.state, SHAPES[seen.state], simulated ? "simulated" : ""];
    if (seen.age_ms === null || seen.age_ms === undefined) return ["NOT HEARD", "lost", "not yet"];
    return ["NOT HEARD", "lost", `for ${(seen.age_ms / 1000).toFixed(1)} s`];
  }

  /** `reads`: figures too, beside the state and what moves. */
  show(now, reads) {
    const [word, shape, more] = this.stateOf(now);
    this.state = word === "NOT HEARD" ? "LOST" : word;
    write($("state-word"), word);
    write($("state-more"), more);
    mark($("head"), "data-state", shape);
    const believed = this.link !== null && !this.link.two_way && !this.said?.state.machine?.simulated;
    mark($("head"), "data-believed", String(believed && shape !== "none"));
    this.count(now, word);
    write($("why"), this.link ? whyOf(now, this.live, this.hands, this.link, this.said, this.low) : this.live.why);
    if (now - this.linkAt > LINK_MS) {
      this.linkAt = now;
      write($("link"), this.linkWords(now));
      this.showFacts(now);
    }
    this.handWords();
    if (!this.said || $("page-drive").hidden) return;
    const seen = this.said.state;
    const known = this.live.joined && now - this.live.heardAt <= SILENT_MS;
    this.showOutputs(known ? seen.machine : null, reads);
    for (const [name, gauge] of this.gauges) this.showGauge(gauge, known ? seen.telemetry[name] : null, reads);
  }

  /** For how long it has been armed, and what is to be heard of the link. */
  count(now, word) {
    const past = now - (this.countedAt ?? now);
    this.countedAt = now;
    const armed = word === "ARMED";
    if (armed) this.armedMs += past;
    const lost = word === "NOT HEARD" || word === "FAILSAFE";
    if (armed) this.wasArmed = true;
    if (word === "STANDBY" || word === "STOPPED") this.wasArmed = false;
    this.signals.link(now, lost && this.wasArmed);
    this.signals.battery(now, Boolean(this.low) && this.live.joined);
  }

  showFacts(now) {
    const { said, live, link } = this;
    const facts = [];
    const known = said && live.joined && now - live.heardAt <= SILENT_MS;
    const supply = link?.supply;
    const [value, text, lost] = (known && supply && said.state.telemetry[supply.of]) || [null, "", true];
    this.low = !lost && supply?.below !== null && typeof value === "number" && value < supply?.below;
    if (!lost) facts.push([this.low ? `▼ LOW ${text}` : text, this.low]);
    if (link && !link.two_way) facts.push(["one way", false]);
    else if (known && typeof said.state.age_ms === "number") facts.push([`heard ${(said.state.age_ms / 1000).toFixed(1)} s`, false]);
    const seconds = Math.floor(this.armedMs / 1000);
    facts.push([`armed ${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`, false]);
    const all = facts.map(([words]) => words).join("|");
    if (this.factsShown === all) return;
    this.factsShown = all;
    $("facts").replaceChildren(...facts.map(([words, low]) => make("li", {}, low ? make("b", {}, words) : words)));
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
    if (!said) return;
    const who = said.driver === 0 ? "nobody drives" : live.drives ? "you drive" : `page ${said.driver} drives`;
    write($("hand"), `${who}; you are page ${live.page} of ${said.pages}`);
  }

  showOutputs(machine, reads) {
    write(
      $("told-by"),
      machine ? (machine.simulated ? "the simulated machine" : "worked out here, from what is sent: what it should be told") : "not known now",
    );
    for (const [name, row] of this.outputs) {
      const told = machine?.outputs[name];
      place(row.bar, "--from", String(told ? Math.min(0, told[0]) / 1000 : 0));
      place(row.bar, "--to", String(told ? Math.max(0, told[0]) / 1000 : 0));
      mark(row.element, "data-driven", String(Boolean(told?.[2])));
      if (reads) write(row.level, told ? percent(told[0]) : "?");
      // Why nothing may move stands in the head, once for all of them.
      write(row.why, told ? told[3] : "");
    }
  }

  showGauge(gauge, reading, reads) {
    const [value, text, lost, commanded] = reading ?? [null, "nothing heard yet", true, false];
    if (gauge.one.range) {
      const [low, high] = gauge.one.range;
      const share = typeof value === "number" && !lost ? Math.max(0, Math.min(1, (value - low) / (high - low))) : 0;
      place(gauge.fill, "--to", String(share));
    }
    mark(gauge.element, "data-lost", String(Boolean(lost)));
    if (reads) write(gauge.text, text.replace(" (commanded)", ""));
    write(gauge.mark, commanded ? "commanded" : "");
  }
}
