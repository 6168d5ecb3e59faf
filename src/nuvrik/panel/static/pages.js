// The other pages: check, faults, requests, the driver's sheet, the link file.

import { make, mark, place, sentence, words, write } from "./make.js";
import { keysFor } from "./digits.js";
import { amount, percent } from "./sticks.js";

const $ = (id) => document.getElementById(id);
const bodyOf = (id) => /** @type {HTMLTableElement} */ ($(id)).tBodies[0];

/** What a channel carries, as people read it. */
function valueOf(one, value) {
  if (value === null) return "no reading";
  if (one.kind === "flag") return value ? "on" : "off";
  if (one.kind === "choice") return words(one.options[value] ?? String(value));
  if (one.kind === "count") return String(value);
  return one.range ? amount(value, one.range, one.unit, one.kind === "level") : percent(value);
}

/** Every control, lit while it is away from rest. */
export class Check {
  know(link) {
    this.rows = new Map();
    const body = bodyOf("check-table");
    body.replaceChildren();
    // What is made of several is one row, with the readings of its parts.
    const parts = new Set(link.made.flatMap((one) => one.parts));
    this.rest = new Map(link.controls.map((one) => [one.name, one.rest]));
    const all = link.controls.filter((one) => !one.sets_channel && !parts.has(one.name)).concat(link.made);
    for (const one of all) {
      const row = {
        raw: make("td", { class: "number" }),
        level: make("td", { class: "number" }),
        fill: make("span", { class: "fill", "aria-hidden": "true" }),
        of: one.parts ?? [one.name],
      };
      const does = one.by_host ? [...one.does, "moved at the host"] : one.does;
      row.element = make("tr", {}, make("th", { scope: "row" }, words(one.name)), row.raw, row.level, make("td", {}, make("span", { class: "meter" }, row.fill)), make("td", {}, does.join("; ")));
      this.rows.set(one.name, row);
      body.append(row.element);
    }
    this.sent = link.channels.map((one) => ({ one, value: make("td", { class: "number" }) }));
    const sent = this.sent.map(({ one, value }) => make("tr", {}, make("th", { scope: "row" }, words(one.name)), make("td", {}, one.kind), value, make("td", {}, words(one.from))));
    bodyOf("sent-table").replaceChildren(...sent);
  }

  show(seen, hands, keys, pads) {
    if ($("page-check").hidden) return;
    write($("check-keys"), keys.said());
    write($("check-pads"), pads.said());
    for (const { one, value } of this.sent) write(value, valueOf(one, seen.channels[one.name] ?? null));
    for (const [name, row] of this.rows) {
      const level = seen.controls[name]?.[1] ?? null;
      const raws = row.of.map((part) => hands.readings[part] ?? seen.controls[part]?.[0] ?? null);
      const shown = (raw, at) => (raw === null ? "" : row.of.length > 1 ? `${words(row.of[at])} ${raw}` : String(raw));
      write(row.raw, raws.map(shown).filter(Boolean).join(", "));
      write(row.level, percent(level));
      place(row.fill, "--from", String(Math.min(0, level ?? 0) / 1000));
      place(row.fill, "--to", String(Math.max(0, level ?? 0) / 1000));
      const away = raws.some((raw, at) => raw !== null && raw !== this.rest.get(row.of[at]));
      mark(row.element, "data-lit", String(Boolean(level) || away));
    }
  }
}

const MUST = { stop: "The machine has to stop", never: "Nothing may move", hold: "It may go on, or stop" };

/** Faults of the simulated machine, each at a click. */
export class Faults {
  know(link, live) {
    this.rows = new Map();
    const groups = new Map();
    for (const fault of link.faults) {
      const button = make("button", { type: "button", "aria-pressed": "false", onclick: () => live.fault(fault.name) }, words(fault.name));
      const verdict = make("b", { class: "verdict", role: "status" });
      this.rows.set(fault.name, { button, verdict });
      const more = `${MUST[fault.must]}${fault.anew ? "; both ends start anew first" : ""}.`;
      const what = make("span", {}, `${fault.what}. `, make("span", { class: "small" }, more));
      if (!groups.has(fault.group)) groups.set(fault.group, []);
      groups.get(fault.group).push(make("div", { class: "fault" }, button, make("div", {}, what, verdict)));
    }
    const parts = [...groups].flatMap(([group, rows]) => [make("h3", {}, group === "bench" ? "at the bench" : group), ...rows]);
    const unfit = link.unfit.length ? [make("h3", {}, "do not apply to this link"), ...link.unfit.map((why) => make("p", { class: "small" }, why))] : [];
    $("page-faults").replaceChildren(
      make("h2", {}, "Faults of the simulated machine"),
      make("p", {}, "Drive, make one, and see what the machine does: the same faults as in nuvrik rehearse, judged by the same rules. There is one at a time; a second click takes away what does not end by itself."),
      ...parts,
      ...unfit,
    );
  }

  show(seen) {
    if ($("page-faults").hidden) return;
    for (const [name, row] of this.rows) {
      const there = seen.fault === name;
      mark(row.button, "aria-pressed", String(there));
      if (there && seen.fault_waits) write(row.verdict, `It waits until ${seen.fault_waits}.`);
      else if (row.waited) write(row.verdict, "");
      row.waited = there && Boolean(seen.fault_waits);
    }
  }

  /** What has come of a fault. */
  judge(event) {
    const row = this.rows.get(event.judged);
    if (!row) return;
    mark(row.verdict, "data-held", String(event.held));
    write(row.verdict, sentence(event.words));
  }
}

/** Requests: what is empty or out of range is refused here, and nothing is sent. */
export function askPage(link, live) {
  const rows = link.requests.map((request) => {
    const said = make("span", { class: "said", role: "alert" });
    const fields = request.arguments.map((about) => field(about));
    const form = make("form", { class: "request" }, make("b", {}, words(request.name)), ...fields.map((one) => one.element), make("button", { type: "submit" }, "Ask"), request.moves ? make("span", { class: "small" }, "needs ARMED") : "", said);
    form.addEventListener("submit", (event) => {
      event.preventDefault();
      const given = {};
      for (const one of fields) {
        const [value, wrong] = one.read();
        if (wrong) {
          write(said, `${words(one.name)}: ${wrong}`);
          return;
        }
        given[one.name] = value;
      }
      write(said, live.drives ? "" : "take the hand first");
      if (live.drives) live.ask(request.name, given);
    });
    return form;
  });
  $("page-ask").replaceChildren(make("h2", {}, "Ask the machine"), make("p", {}, "What becomes of it stands in the news on the page Drive."), ...rows);
}

function field(about) {
  const label = `${words(about.name)}: ${about.words}`;
  if (about.options || about.kind === "flag") {
    const options = about.options ?? ["off", "on"];
    let chosen = 0;
    const buttons = options.map((option, at) =>
      make("button", { type: "button", "aria-pressed": String(at === 0), onclick: () => choose(at) }, words(option)),
    );
    const choose = (at) => {
      chosen = at;
      buttons.forEach((button, place) => mark(button, "aria-pressed", String(place === at)));
    };
    const element = make("span", { class: "row", role: "group", "aria-label": label }, words(about.name), ...buttons);
    return { name: about.name, element, read: () => [about.options ? about.options[chosen] : chosen, ""] };
  }
  const input = make("input", { type: "text", inputmode: "none", autocomplete: "off", "aria-label": label, placeholder: words(about.name) });
  const read = () => {
    const text = input.value.trim();
    if (about.kind === "text") {
      return new TextEncoder().encode(text).length > about.bytes ? [null, about.words] : [text, ""];
    }
    const number = Number(text);
    if (text === "" || !Number.isInteger(number) || number < about.low || number > about.high) return [null, about.words];
    return [number, ""];
  };
  return { name: about.name, element: make("label", {}, `${words(about.name)} `, input, keysFor(input, about.kind === "text")), read };
}

export function sheetPage(link) {
  const rows = link.sheet.controls.map(([names, does]) => make("tr", {}, make("th", { scope: "row" }, names.map(words).join(", ")), make("td", {}, does)));
  rows.push(...link.sheet.stop.map((line) => make("tr", {}, make("td", { colspan: "2" }, line))));
  const states = Object.entries(link.states).map(([name, what]) => make("tr", {}, make("th", { scope: "row" }, name), make("td", {}, what)));
  $("page-sheet").replaceChildren(
    make("h2", {}, `Driver's sheet of ${link.name}`),
    make("table", {}, make("tbody", {}, ...rows)),
    make("h2", {}, "What the states mean"),
    make("table", {}, make("tbody", {}, ...states)),
  );
}

export function filePage(link) {
  const problems = link.problems.map((one) => make("li", { "data-level": one.level }, make("b", {}, `${one.level} `), `${one.where}: ${one.what}. ${one.do}`));
  $("page-file").replaceChildren(
    make("h2", {}, "The link file, as it was read"),
    problems.length ? make("ul", { class: "problems" }, ...problems) : make("p", {}, "Nothing is wrong with it."),
    make("pre", { tabindex: "0", "aria-label": "the link file" }, link.file.join("\n")),
  );
}
