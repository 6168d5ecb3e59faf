// The one connection: who may join, ticks and their answers, stop, and how it comes back after a break.
//
// A tick is answered in its own handler, from no timer and no worker, with readings that are made then. So
// what is sent is never older than the tick that it answers, and a page that hangs answers nothing.

import { proof } from "./blake2s.js";

const VERSION = 2;
const KEPT = "panel-token";
const WRONG_TOKEN = 4401;
const TOO_MANY = 4429;
const FIRST_WAIT_MS = 250;
const LONGEST_WAIT_MS = 4000;
const CHANGE_MS = 20;

/** The token of the link that was opened; the address bar is cleared at once. */
function tokenFromAddress() {
  const token = location.hash.slice(1);
  if (/^[0-9a-f]{32}$/.test(token)) {
    sessionStorage.setItem(KEPT, token);
    history.replaceState(null, "", location.pathname);
    return true;
  }
  return false;
}

export class Live {
  /** hands: what is sampled; told: called with each message that tells how things are; knows: called with the
   *  link once; changed: called when it connects, or does not. */
  constructor(hands, { told, knows, changed }) {
    this.hands = hands;
    this.told = told;
    this.knows = knows;
    this.changed = changed;
    this.socket = null;
    this.joined = false;
    this.why = "It is connecting.";
    this.heardAt = performance.now();
    this.page = 0;
    this.hand = 0;
    this.driver = 0;
    this.tick = 0;
    this.seq = 0;
    this.changedAt = 0;
    this.waitMs = FIRST_WAIT_MS;
    this.pressed = false;
    tokenFromAddress();
    addEventListener("hashchange", () => {
      if (tokenFromAddress()) this.rejoin();
    });
    document.addEventListener("visibilitychange", () => {
      if (document.visibilityState === "visible" && !this.socket && !this.ended) this.open();
    });
  }

  rejoin() {
    this.ended = false;
    this.waitMs = FIRST_WAIT_MS;
    if (this.socket) this.socket.close();
    else this.open();
  }

  open() {
    const token = sessionStorage.getItem(KEPT);
    if (!token) {
      this.end("Open the link that the program printed: this address alone lets nobody in.");
      return;
    }
    clearTimeout(this.again);
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/live`);
    this.socket = socket;
    socket.onmessage = (event) => this.take(JSON.parse(event.data), token);
    socket.onclose = (event) => this.closed(event.code);
  }

  end(why) {
    this.ended = true;
    this.why = why;
    this.changed();
  }

  closed(code) {
    this.socket = null;
    this.joined = false;
    this.driver = 0;
    this.hands.allToRest();
    if (code === WRONG_TOKEN) {
      this.end("This link is of an earlier start: open the new link.");
      return;
    }
    if (code === TOO_MANY) {
      this.end("There are eight pages already: close one, and load this one anew.");
      return;
    }
    this.why = "The connection is gone: trying again.";
    this.changed();
    if (document.visibilityState !== "visible") return;
    this.again = setTimeout(() => this.open(), this.waitMs * (1 - Math.random() / 2));
    this.waitMs = Math.min(2 * this.waitMs, LONGEST_WAIT_MS);
  }

  take(said, token) {
    if (said.challenge !== undefined) {
      if (said.v !== VERSION) this.end("The page is of another version: load it anew.");
      else this.send({ v: VERSION, answer: proof(token, said.challenge) });
      return;
    }
    this.heardAt = performance.now();
    if (said.link !== undefined) {
      this.joined = true;
      this.page = said.page;
      this.tick = 0;
      this.waitMs = FIRST_WAIT_MS;
      this.knows(said.link);
      this.changed();
      if (this.pressed) this.send({ stop: true });
      return;
    }
    this.tick = said.tick;
    if (said.hand !== undefined) {
      const drove = this.drives;
      this.hand = said.hand;
      this.driver = said.driver;
      if (drove !== this.drives) this.hands.allToRest();
    }
    this.answer();
    if (said.state !== undefined) this.told(said);
  }

  get drives() {
    return this.joined && this.driver === this.page && this.page > 0;
  }

  /** Answer the last tick with where all controls are now. */
  answer() {
    this.send({
      tick: this.tick,
      hand: this.hand,
      seq: ++this.seq,
      readings: this.drives && this.hands.mayDrive() ? this.hands.sample() : null,
    });
  }

  /** Something has moved: at most every 20 ms it is said at once, else with the next tick. */
  moved() {
    const now = performance.now();
    if (!this.drives || now - this.changedAt < CHANGE_MS) return;
    this.changedAt = now;
    this.answer();
  }

  /** Everything has been let go: that is said at once. */
  letGo() {
    if (!this.joined || this.tick === 0) return;
    this.send({ tick: this.tick, hand: this.hand, seq: ++this.seq, readings: null });
  }

  stop(pressed) {
    if (pressed === this.pressed) return;
    this.pressed = pressed;
    this.send({ stop: pressed });
  }

  takeHand() {
    this.send({ take: true, hand: this.hand });
  }

  give() {
    this.send({ give: true });
  }

  fault(name) {
    this.send({ fault: name });
  }

  ask(name, given) {
    this.send({ ask: name, hand: this.hand, arguments: given });
  }

  jog(names, perCent) {
    this.send({ jog: names, hand: this.hand, per_cent: perCent });
  }

  mark() {
    this.send({ mark: true });
  }

  hello() {
    this.send({ hello: true, hand: this.hand });
  }

  send(said) {
    if (this.socket && this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(said));
  }
}
