// Pads, by the W3C Gamepad API, which has no events for what they report: they are looked at.

import { Device } from "./link.js";

const LOOK_MS = 4;
const AXIS = 32767;
const TRIGGER = 255;
// The standard layout, by place.
const BUTTONS = (
  "south east west north shoulder-l shoulder-r trigger-l trigger-r select start thumb-l thumb-r " +
  "dpad-up dpad-down dpad-left dpad-right mode"
).split(" ");
const AXES = ["stick-l-x", "stick-l-y", "stick-r-x", "stick-r-y"];

const buttonCode = (pad, n) => (pad.mapping === "standard" && BUTTONS[n]) || `button-${n}`;
const axisCode = (pad, n) => (pad.mapping === "standard" && AXES[n]) || `axis-${n}`;
const isTrigger = (code) => code.startsWith("trigger-");

export class Pads {
  constructor(link) {
    this.link = link;
    this.devices = new Map();
    // Browsers give pads to secure pages only, and tell of one once it is touched.
    if (navigator.getGamepads) setInterval(() => this.look(), LOOK_MS);
  }

  look() {
    const pads = [...navigator.getGamepads()].filter((pad) => pad?.connected);
    for (const [index] of this.devices) {
      if (pads.some((pad) => pad.index === index)) continue;
      this.link.unplug(`pad${index + 1}`);
      this.devices.delete(index);
    }
    for (const pad of pads) this.report(pad, this.devices.get(pad.index) ?? this.arrived(pad));
  }

  arrived(pad) {
    const buttons = pad.buttons.map((_, n) => {
      const code = buttonCode(pad, n);
      const trigger = { code, kind: "trigger", min: 0, max: TRIGGER };
      return isTrigger(code) ? trigger : { code, kind: "button" };
    });
    const axis = (n) => ({ code: axisCode(pad, n), kind: "axis", min: -AXIS, centre: 0, max: AXIS });
    const device = new Device({
      id: `pad${pad.index + 1}`,
      kind: "pad",
      name: pad.id.slice(0, 80),
      controls: [...buttons, ...pad.axes.map((_, n) => axis(n))],
    });
    this.devices.set(pad.index, device);
    this.link.plug(device);
    return device;
  }

  report(pad, device) {
    if (device.last === pad.timestamp) return;
    device.last = pad.timestamp;
    pad.buttons.forEach((button, n) => {
      const code = buttonCode(pad, n);
      const value = isTrigger(code) ? Math.round(button.value * TRIGGER) : Number(button.pressed);
      device.set(code, value, pad.timestamp);
    });
    pad.axes.forEach((at, n) => device.set(axisCode(pad, n), Math.round(at * AXIS), pad.timestamp));
  }
}
