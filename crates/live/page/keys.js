// Keys, by the `code` of W3C UI Events, which names a key by its place.

import { Device, now } from "./link.js";

const letters = [..."ABCDEFGHIJKLMNOPQRSTUVWXYZ"].map((letter) => `Key${letter}`);
const digits = [..."0123456789"].flatMap((digit) => [`Digit${digit}`, `Numpad${digit}`]);
const functions = Array.from({ length: 12 }, (_, n) => `F${n + 1}`);
const others = (
  "Space Enter Tab Escape Backspace Minus Equal BracketLeft BracketRight Backslash Semicolon Quote " +
  "Backquote Comma Period Slash CapsLock ArrowUp ArrowDown ArrowLeft ArrowRight Home End PageUp " +
  "PageDown Insert Delete ShiftLeft ShiftRight ControlLeft ControlRight AltLeft AltRight MetaLeft " +
  "MetaRight ContextMenu NumpadAdd NumpadSubtract NumpadMultiply NumpadDivide NumpadDecimal " +
  "NumpadEnter IntlBackslash"
).split(" ");
const CODES = new Set([...letters, ...digits, ...functions, ...others]);

export class Keys {
  constructor(target, link) {
    const controls = [...CODES].map((code) => ({ code, kind: "button" }));
    this.device = new Device({ id: "keys", kind: "keys", name: "keys of the page", controls });
    link.plug(this.device);
    target.addEventListener("keydown", (event) => this.happened(event, 1));
    target.addEventListener("keyup", (event) => this.happened(event, 0));
  }

  happened(event, value) {
    if (event.target instanceof HTMLInputElement || !CODES.has(event.code)) return;
    // What the browser does with a key alone would get in the way; its own commands stay.
    if (!event.ctrlKey && !event.metaKey && !event.altKey) event.preventDefault();
    this.device.set(event.code, value, event.timeStamp, event.repeat ? "repeat" : undefined);
  }

  setDeaf(isDeaf) {
    this.device.setDeaf(isDeaf, now());
  }
}
