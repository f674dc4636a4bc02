// Fingers, pen and mouse, by W3C Pointer Events: fingers are a glass panel with ten contacts, a
// pen is a panel of its own that hovers, a mouse is a mouse.

import { Device, now } from "./link.js";

// A place is told in sixteenths of a CSS pixel, of which 96 make an inch.
const FINE = 16;
const PER_MM = Math.round((96 * FINE) / 25.4);
export const PX_PER_MM = PER_MM / FINE;
const CONTACTS = 10;
const PRESSURES = 1023;
const BUTTONS = ["left", "right", "middle", "back", "forward"];
const WHEEL_PX = 100;

const places = (code, [width, height]) => [
  { code: `${code}x`, kind: "position", min: 0, max: width * FINE - 1, resolution: PER_MM },
  { code: `${code}y`, kind: "position", min: 0, max: height * FINE - 1, resolution: PER_MM },
];

const contact = (n, size) => [
  { code: `contact-${n}`, kind: "button" },
  ...places(`contact-${n}-`, size),
  { code: `contact-${n}-pressure`, kind: "trigger", min: 0, max: PRESSURES },
];

export class Pointers {
  constructor(canvas, link) {
    this.canvas = canvas;
    this.link = link;
    this.fingers = new Map();
    this.moves = [];
    this.wheel = [0, 0];
    for (const kind of ["pointerdown", "pointermove", "pointerup", "pointercancel"]) {
      canvas.addEventListener(kind, (event) => this.happened(event));
    }
    canvas.addEventListener("pointerenter", (event) => this.range(event, 1));
    canvas.addEventListener("pointerleave", (event) => this.range(event, 0));
    canvas.addEventListener("wheel", (event) => this.turned(event), { passive: false });
    for (const kind of ["contextmenu", "touchstart"]) {
      canvas.addEventListener(kind, (event) => event.preventDefault(), { passive: false });
    }
  }

  /** The panel has this size, in CSS pixels: another size is another panel. */
  resize(size) {
    const [width, height] = (this.size = size);
    const identity = (id) => `${id}-${width}x${height}`;
    const contacts = Array.from({ length: CONTACTS }, (_, n) => contact(n + 1, size)).flat();
    const made = (id, kind, name, controls) =>
      new Device({ id, kind, name, identity: identity(id), controls });
    const buttons = [...BUTTONS, "in-range"].map((code) => ({ code, kind: "button" }));
    const wheels = ["wheel-x", "wheel-y"].map((code) => ({ code, kind: "relative" }));
    this.glass = made("glass", "glass", "fingers on the page", contacts);
    this.pen = made("pen", "glass", "pen on the page", contact(1, size));
    this.mouse = made("mouse", "mouse", "mouse on the page", [
      ...buttons,
      ...places("", size),
      ...wheels,
    ]);
    this.fingers.clear();
    for (const device of [this.glass, this.pen, this.mouse]) this.link.plug(device);
  }

  /** Whether anything touches. */
  isTouched() {
    return this.fingers.size > 0;
  }

  happened(event) {
    if (event.type === "pointermove") {
      // Moves of all fingers come before the next frame, each in parts that were gathered: they
      // wait for each other, and go out in the order in which they happened.
      const parts = event.getCoalescedEvents?.() ?? [];
      this.moves.push(...(parts.length > 0 ? parts : [event]));
      return;
    }
    this.flush();
    if (event.type === "pointerdown") {
      // The panel takes the keys back from the field of the name.
      this.canvas.focus();
      this.canvas.setPointerCapture(event.pointerId);
    }
    this.take(event);
  }

  /** To be called each frame: what moved goes out. */
  flush() {
    const moves = this.moves.sort((one, other) => one.timeStamp - other.timeStamp);
    this.moves = [];
    for (const move of moves) this.take(move);
  }

  take(event) {
    if (event.pointerType === "mouse") this.moved(event);
    else this.touched(event, event.pointerType === "pen" ? this.pen : this.glass);
  }

  /** Where it is, from the left top corner of the panel. */
  place(event, device, prefix) {
    const { left, top } = this.canvas.getBoundingClientRect();
    const [width, height] = this.size;
    const fine = (at, most) => Math.max(0, Math.min(most * FINE - 1, Math.round(at * FINE)));
    device.set(`${prefix}x`, fine(event.clientX - left, width), event.timeStamp);
    device.set(`${prefix}y`, fine(event.clientY - top, height), event.timeStamp);
  }

  touched(event, device) {
    const ends = event.type === "pointerup" || event.type === "pointercancel";
    let finger = this.fingers.get(event.pointerId);
    if (!finger && event.type === "pointerdown") {
      const taken = new Set([...this.fingers.values()].map((of) => of.n));
      const n = device === this.pen ? 1 : 1 + [...Array(CONTACTS).keys()].findIndex((k) => !taken.has(k + 1));
      if (n === 0) return;
      finger = { n, device };
      this.fingers.set(event.pointerId, finger);
    }
    // A pen that hovers has a place, and touches nothing.
    const n = finger?.n ?? (device === this.pen ? 1 : 0);
    if (n === 0) return;
    const code = `contact-${n}`;
    if (!ends) {
      this.place(event, device, `${code}-`);
      device.set(`${code}-pressure`, Math.round(event.pressure * PRESSURES), event.timeStamp);
    }
    if (!finger) return;
    finger.at = [event.clientX, event.clientY];
    finger.from ??= finger.at;
    const mark = event.type === "pointercancel" ? "cancelled" : undefined;
    device.set(code, ends ? 0 : 1, event.timeStamp, mark);
    if (ends) {
      device.set(`${code}-pressure`, 0, event.timeStamp);
      this.fingers.delete(event.pointerId);
    }
  }

  moved(event) {
    this.place(event, this.mouse, "");
    BUTTONS.forEach((code, bit) => this.mouse.set(code, (event.buttons >> bit) & 1, event.timeStamp));
  }

  range(event, isIn) {
    if (event.pointerType === "mouse") this.mouse.set("in-range", isIn, event.timeStamp);
  }

  /** Up and to the right count as more, as a wheel does. */
  turned(event) {
    event.preventDefault();
    const px = event.deltaMode === WheelEvent.DOM_DELTA_PIXEL ? 1 : WHEEL_PX;
    [event.deltaX, -event.deltaY].forEach((delta, axis) => {
      this.wheel[axis] += (delta * px) / WHEEL_PX;
      const counts = Math.trunc(this.wheel[axis]);
      this.wheel[axis] -= counts;
      this.mouse.add(axis === 0 ? "wheel-x" : "wheel-y", counts, event.timeStamp);
    });
  }

  /** The page went away under the hand, or came back. */
  setDeaf(isDeaf) {
    if (isDeaf) this.fingers.clear();
    for (const device of [this.glass, this.pen, this.mouse]) device?.setDeaf(isDeaf, now());
  }
}
