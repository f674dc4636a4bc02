// What the hand should feel: the zones of the rig on this panel, its sticks under the thumb, the
// fingers, and what fired.

import { PX_PER_MM } from "./pointers.js";

const INK = "#d8dedb";
const FAINT = "#7d8a86";
const RULE = "#3a4442";
const FIRED = "#57e07a";
const SIGNAL = "#7cc7ff";
const FLASH_MS = 400;
const LINE = 20;

export class View {
  constructor(canvas, news) {
    this.canvas = canvas;
    this.news = news;
    this.rig = { turned: 0, zones: [], sticks: [] };
    this.actions = new Map();
    this.fired = new Map();
  }

  /** A line of what is published. */
  heard(line) {
    if (line.gtrig !== undefined) {
      const { turned = 0, zones = [], sticks = [] } = line;
      this.rig = turned === 0 ? { turned, zones, sticks } : { turned, zones: [], sticks: [] };
      this.actions.clear();
    }
    if (line.gesture !== undefined && line.outcome === "fired") this.flash(line.gesture);
    if (line.line === "combo" && line.outcome === "fired") this.flash(line.combo);
    for (const { action, value, via } of line.actions ?? []) {
      const isOn = Array.isArray(value) ? value.some((of) => of !== 0) : Boolean(value);
      if (isOn) this.actions.set(action, { value, via });
      else this.actions.delete(action);
    }
    this.tell();
  }

  flash(name) {
    this.fired.set(name, performance.now());
  }

  /** What acts now, in words: colours alone say nothing. */
  tell() {
    const number = (of) => (typeof of === "number" ? of.toFixed(2) : "");
    const value = (of) => (Array.isArray(of) ? of.map(number).join(" ") : number(of));
    const words = [...this.actions].map(([name, { value: of }]) => `● ${name} ${value(of)}`.trim());
    const gone = [...this.fired.keys()].map((name) => `fired: ${name}`);
    this.news.textContent = [...gone, ...words].join("   ") || "nothing acts";
  }

  draw(fingers) {
    const [width, height] = [this.canvas.clientWidth, this.canvas.clientHeight];
    const scale = window.devicePixelRatio || 1;
    if (this.canvas.width !== width * scale || this.canvas.height !== height * scale) {
      [this.canvas.width, this.canvas.height] = [width * scale, height * scale];
    }
    const now = performance.now();
    for (const [name, at] of this.fired) {
      if (now - at > FLASH_MS) {
        this.fired.delete(name);
        this.tell();
      }
    }
    const pen = this.canvas.getContext("2d");
    pen.setTransform(scale, 0, 0, scale, 0, 0);
    pen.clearRect(0, 0, width, height);
    pen.font = "15px ui-monospace, monospace";
    if (this.rig.turned !== 0) {
      const why = `the rig turns the panel by ${this.rig.turned} degrees`;
      words(pen, why, [width / 2, height / 2 - LINE], FAINT);
      words(pen, "its zones are not drawn", [width / 2, height / 2], FAINT);
    }
    for (const zone of this.rig.zones) this.zone(pen, zone, [width, height]);
    const { left, top } = this.canvas.getBoundingClientRect();
    for (const { n, from, at } of fingers) {
      if (!at) continue;
      const [landed, is] = [from, at].map(([x, y]) => [x - left, y - top]);
      this.sticks(pen, landed, is, [width, height]);
      circle(pen, is, 26, SIGNAL, 2);
      words(pen, `${n}`, is, SIGNAL);
    }
  }

  zone(pen, zone, size) {
    const path = outline(zone, size);
    const isActive = [...this.actions.values()].some(({ via }) => via === `zone ${zone.name}`);
    pen.strokeStyle = isActive ? FIRED : RULE;
    pen.lineWidth = isActive ? 4 : 2;
    pen.stroke(path.line);
    const [x, y] = path.middle;
    words(pen, zone.name, [x, y], isActive ? FIRED : FAINT);
    if (isActive) words(pen, "●", [x, y - LINE], FIRED);
  }

  /** A stick stands where its finger landed, on its zone. */
  sticks(pen, landed, is, size) {
    for (const { zone, ring, ring_mm: mm, centre } of this.rig.sticks) {
      const of = this.rig.zones.find(({ name }) => name === zone);
      const path = of && outline(of, size);
      if (path && !pen.isPointInPath(path.line, ...landed.map((at) => at * (window.devicePixelRatio || 1)))) continue;
      const middle = centre ? [centre[0] * size[0], centre[1] * size[1]] : landed;
      circle(pen, middle, ring ? ring * size[0] : mm * PX_PER_MM, INK, 2);
      pen.beginPath();
      pen.moveTo(...middle);
      pen.lineTo(...is);
      pen.stroke();
    }
  }
}

function circle(pen, [x, y], radius, colour, width) {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.beginPath();
  pen.arc(x, y, radius, 0, 2 * Math.PI);
  pen.stroke();
}

function words(pen, text, [x, y], colour) {
  pen.fillStyle = colour;
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  pen.fillText(text, x, y);
}

/** The line around a zone, which is told in shares of the panel, and its middle, in pixels. */
function outline(zone, [width, height]) {
  const place = ([x, y]) => [x * width, y * height];
  const line = new Path2D();
  if (zone.circle) {
    const middle = place(zone.circle);
    line.arc(...middle, zone.circle[2] * width, 0, 2 * Math.PI);
    return { line, middle };
  }
  const [x, y, w, h] = zone.rect ?? [];
  const corners = (zone.polygon ?? [[x, y], [x + w, y], [x + w, y + h], [x, y + h]]).map(place);
  corners.forEach((corner, n) => (n === 0 ? line.moveTo(...corner) : line.lineTo(...corner)));
  line.closePath();
  const mean = (axis) => corners.reduce((sum, corner) => sum + corner[axis], 0) / corners.length;
  return { line, middle: [mean(0), mean(1)] };
}
