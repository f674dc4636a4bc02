// The way to Green Trigger: lines of the live format (docs/live-format.md) over one WebSocket,
// and what comes of the session over another. Both come again by themselves when they break.

const AGAIN_MS = 500;
// What moves waits for the next frame of the page, and some of it for the air.
const DELAY_MS = 25;
// More than this on its way means that the network does not keep up: lines are left out, counted
// by their numbers, and the state of everything is said again afterwards.
const MOST_WAITING = 256 * 1024;

export const now = () => performance.now();
const nanoseconds = (ms) => Math.round(ms * 1e6);

/** The page was not let in; the message says why. */
export class Refused extends Error {}

/** Comes in, by the key of the address or by the page's own; gives its own. */
export async function enter(key) {
  const answer = await fetch(`./enter?k=${encodeURIComponent(key)}`, { method: "POST" });
  const text = (await answer.text()).trim();
  if (!answer.ok) throw new Refused(text);
  return text;
}

/** What to say of an error of `enter`. */
export const inWords = (error) =>
  `○ ${error instanceof Refused ? error.message : "no connection; trying again"}`;

/** A device of this page. Its values are kept, to be said again when the way was lost. */
export class Device {
  constructor({ id, kind, name, identity = id, controls }) {
    this.plug = { plug: id, kind, name, identity, bus: "page", controls };
    this.id = id;
    this.values = new Map();
    this.isDeaf = false;
    this.link = null;
  }

  /** A control took a value at this instant, in milliseconds of the page's clock. */
  set(code, value, at, mark) {
    // Everything rests at 0 until something is said of it.
    const same = (this.values.get(code) ?? 0) === value;
    if (same && mark !== "repeat") return;
    this.values.set(code, value);
    this.link?.say({ t: nanoseconds(at), on: this.id, c: code, v: value, mark });
  }

  /** Counts of a control that has no state. */
  add(code, counts, at) {
    if (counts !== 0) this.link?.say({ t: nanoseconds(at), on: this.id, c: code, v: counts });
  }

  /** It can be heard no more, or again; what was held is let go. */
  setDeaf(isDeaf, at) {
    if (this.isDeaf === isDeaf) return;
    this.isDeaf = isDeaf;
    if (isDeaf) this.values.clear();
    this.link?.say({ t: nanoseconds(at), [isDeaf ? "deaf" : "heard"]: this.id });
  }
}

export class Link {
  /** `key` lets in; `onLine` hears what is published, `onState` in a few words how the way is. */
  constructor({ key, name, onLine, onState }) {
    Object.assign(this, { key, name, onLine, onState });
    this.devices = new Map();
    this.waiting = [];
    this.isBehind = false;
    this.open("send");
    this.open("read");
  }

  address(path) {
    const scheme = location.protocol === "https:" ? "wss:" : "ws:";
    return `${scheme}//${location.host}/${path}?k=${encodeURIComponent(this.key)}`;
  }

  open(path) {
    const socket = new WebSocket(this.address(path));
    this[path] = socket;
    let hasOpened = false;
    socket.onopen = () => {
      hasOpened = true;
      if (path === "send") this.greet();
    };
    socket.onmessage = ({ data }) => {
      for (const line of data.split("\n")) {
        if (line !== "") this.heard(path, JSON.parse(line));
      }
    };
    socket.onclose = () => {
      if (path === "send") this.tellWhy(hasOpened);
      // Two pages of one name would throw each other out for ever.
      if (path === "send" && this.isReplaced) return;
      setTimeout(() => this.open(path), AGAIN_MS);
    };
  }

  /** A browser does not say why a socket was refused: that is asked for. */
  tellWhy(hasOpened) {
    if (hasOpened) this.onState(this.why ?? "○ no connection; trying again");
    else enter(this.key).catch((error) => this.onState(inWords(error)));
  }

  /** Another name is another sender. */
  rename(name) {
    this.name = name;
    if (this.isReplaced) this.open("send");
    else this.send.close();
    this.isReplaced = false;
  }

  greet() {
    this.waiting = [];
    this.number = 0;
    this.isBehind = false;
    this.why = null;
    this.say({ live: 1, name: this.name, clock: "own", answers: true, delay: nanoseconds(DELAY_MS) });
    for (const device of this.devices.values()) this.arrives(device);
    this.onState("● connected");
  }

  /** Plugs a device in; one of the same id goes. */
  plug(device) {
    this.unplug(device.id);
    this.devices.set(device.id, device);
    device.link = this;
    this.arrives(device);
  }

  unplug(id) {
    const device = this.devices.get(id);
    if (!device) return;
    this.say({ t: nanoseconds(now()), unplug: id });
    device.link = null;
    this.devices.delete(id);
  }

  arrives(device) {
    const t = nanoseconds(now());
    this.say({ t, ...device.plug });
    this.states(device, "carried");
    if (device.isDeaf) this.say({ t, deaf: device.id });
  }

  states(device, mark) {
    const t = nanoseconds(now());
    for (const [c, v] of device.values) this.say({ t, on: device.id, c, v, mark });
  }

  /** Lines of one turn of the page go out together. */
  say(line) {
    if (this.send.readyState !== WebSocket.OPEN) return;
    if (line.live === undefined) line.n = this.number++;
    if (this.send.bufferedAmount > MOST_WAITING) this.isBehind = true;
    if (this.isBehind) return;
    if (this.waiting.length === 0) queueMicrotask(() => this.flush());
    this.waiting.push(JSON.stringify(line));
  }

  flush() {
    if (this.waiting.length > 0) this.send.send(this.waiting.join("\n"));
    this.waiting = [];
  }

  /** To be called now and then: says again what was left out. */
  catchUp() {
    if (!this.isBehind || this.send.bufferedAmount > 0) return;
    this.isBehind = false;
    for (const device of this.devices.values()) this.states(device, "resynced");
  }

  heard(path, line) {
    if (line.sync !== undefined) this.say({ t: nanoseconds(now()), sync: line.sync });
    else if (line.replaced) {
      this.isReplaced = true;
      this.onState((this.why = `○ another page is called ${this.name}: choose another name`));
    } else if (line.error !== undefined) this.onState((this.why = `○ ${line.error}`));
    else if (path === "read") this.onLine(line);
  }
}
