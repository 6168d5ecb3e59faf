// A first drive, step by step: is it the right machine, does each output turn the right way, does it stop when
// told, and when its cable is off. What has been seen is ticked off, with the time, and can be kept.

import { make, words, write } from "./make.js";

const JOG = 30;
const CABLE = "cable_pulled";

export class FirstDrive {
  constructor(live, box) {
    this.live = live;
    this.box = box;
    this.steps = [];
  }

  know(link) {
    this.link = link;
    this.steps = [];
    const rows = [];
    const add = (name, what, ...more) => {
      const step = { name, done: "", mark: make("span", { class: "tick" }, "not yet"), saw: 0 };
      this.steps.push(step);
      rows.push(make("li", {}, make("b", {}, name), " ", step.mark, make("p", {}, what), make("div", { class: "row" }, ...more)));
      return step;
    };
    this.hello = link.asks
      ? add("Who is there", "Ask the machine who it is, and whether it was built from this file.", this.button("Say hello", () => this.live.hello()))
      : null;
    const groups = Object.entries(link.sides).concat(link.outputs.filter((one) => one.jogs).map((one) => [one.name, [one.name]]));
    for (const [name, outputs] of link.asks ? groups : []) {
      const step = add(
        `Jog ${words(name)}`,
        "Take the hand, arm, keep hands off, and keep clear. It moves a little, forward as the link file says.",
        this.button("A little forward", () => this.live.jog(outputs, JOG)),
        this.button("A little back", () => this.live.jog(outputs, -JOG)),
        this.button("It went the right way", () => this.tick(step, "right way")),
        this.button("It went the wrong way", () => this.tick(step, "WRONG WAY: set reverse in the link file, export again", false)),
        this.button("It did not move", () => this.tick(step, "DID NOT MOVE", false)),
      );
    }
    const oneWay = link.two_way ? "" : " One way: nothing comes back, so look at it and tick it yourself.";
    const byHand = (of, good, bad) => (link.two_way ? [] : [this.button(good, () => this.tick(this[of], `${good}, seen by hand`)), this.button(bad, () => this.tick(this[of], bad.toUpperCase(), false))]);
    this.stop = add("Stop", `Arm, drive gently, and press stop. ${link.two_way ? "The machine has to say STOPPED." : "Everything has to stop."}${oneWay}`, ...byHand("stop", "It stopped", "It went on"));
    const pulled = link.faults.some((one) => one.name === CABLE);
    const cable = pulled ? [this.button("Pull the cable (simulated), or put it back", () => this.live.fault(CABLE))] : [];
    this.cable = add("Cable off", `Arm, drive gently, and pull the cable. Everything has to stop by itself; then put it back.${oneWay}`, ...cable, ...byHand("cable", "It stopped by itself", "It went on by itself"));
    const keep = this.button("Keep the result as a page", () => this.keep());
    this.box.replaceChildren(
      make("h2", {}, `First drive of ${link.name}`),
      make("p", {}, "Do this once for every new machine, with its wheels off the ground or its screws out of the water."),
      make("ol", { class: "steps" }, ...rows),
      keep,
    );
  }

  button(text, does) {
    return make("button", { type: "button", onclick: does }, text);
  }

  tick(step, what, good = true) {
    step.done = `${what}, ${new Date().toLocaleTimeString()}`;
    write(step.mark, step.done);
    step.mark.setAttribute("data-done", String(good));
  }

  /** What the link shows by itself is ticked off by itself. */
  take(said) {
    const seen = said.state;
    if (this.hello && seen.hello && !this.hello.done) {
      const { name, file, build, version } = seen.hello;
      this.tick(this.hello, file ? `OTHER FILE: ${file}` : build ? `OTHER BUILD: ${build}` : `${name}, built from this file, version ${version}`, !file && !build);
    }
    if (!this.link.two_way) return;
    const armed = seen.state === "ARMED";
    if (armed) this.stop.saw = this.cable.saw = performance.now();
    const lately = (step) => performance.now() - step.saw < 5000;
    if (!this.stop.done && seen.state === "STOPPED" && lately(this.stop)) this.tick(this.stop, "it stopped");
    const lost = this.link.two_way && seen.state === null && seen.age_ms !== null;
    if (lost && lately(this.cable)) this.cable.lost = true;
    if (seen.state === "FAILSAFE" || seen.state === "WAITING" || seen.state === "STANDBY") {
      if (this.cable.lost && !this.cable.done) this.tick(this.cable, `it stopped by itself, and came back ${seen.state}`);
    }
  }

  /** A small page with the result, saved by the browser. */
  keep() {
    const page = document.implementation.createHTMLDocument(`first drive of ${this.link.name}`);
    const list = make("ol");
    for (const step of this.steps) list.append(make("li", {}, make("b", {}, `${step.name}: `), step.done || "not done"));
    page.body.append(make("h1", {}, `First drive of ${this.link.name}`), make("p", {}, new Date().toLocaleString()), list);
    const text = `<!doctype html>\n${new XMLSerializer().serializeToString(page.documentElement)}`;
    const link = make("a", {
      href: URL.createObjectURL(new Blob([text], { type: "text/html" })),
      download: `first-drive-${this.link.name}.html`,
    });
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  }
}
