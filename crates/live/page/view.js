// What the hand should feel: the zones of the rig on this panel, its sticks under the thumb, the
// fingers, and what fired.

import { Picture } from "./picture.js";
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
      const { turned = 0, proportion, zones = [], sticks = [] } = line;
      this.rig = { turned, proportion, zones, sticks };
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
    const picture = new Picture([width, height], this.rig.turned, this.rig.proportion);
    for (const zone of this.rig.zones) this.zone(pen, zone, picture);
    const { left, top } = this.canvas.getBoundingClientRect();
    for (const { n, from, at } of fingers) {
      if (!at) continue;
      const [landed, is] = [from, at].map(([x, y]) => [x - left, y - top]);
      this.sticks(pen, landed, is, picture);
      ring(pen, is, [26, 26], SIGNAL);
      picture.words(pen, [`${n}`], is, SIGNAL, LINE);
    }
  }

  zone(pen, zone, picture) {
    const { line, middle } = picture.outline(zone);
    const isActive = [...this.actions.values()].some(({ via }) => via === `zone ${zone.name}`);
    pen.strokeStyle = isActive ? FIRED : RULE;
    pen.lineWidth = isActive ? 4 : 2;
    pen.stroke(line);
    const said = isActive ? [zone.name, "●"] : [zone.name];
    picture.words(pen, said, middle, isActive ? FIRED : FAINT, LINE);
  }

  /** A stick stands where its finger landed, on its zone. */
  sticks(pen, landed, is, picture) {
    const scale = window.devicePixelRatio || 1;
    const place = landed.map((at) => at * scale);
    for (const { zone, ring: share, ring_mm: mm, centre } of this.rig.sticks) {
      const of = this.rig.zones.find(({ name }) => name === zone);
      if (of && !pen.isPointInPath(picture.outline(of).line, ...place)) continue;
      const middle = centre ? picture.place(centre) : landed;
      ring(pen, middle, share ? picture.radii(share) : [mm, mm].map((of) => of * PX_PER_MM), INK);
      pen.beginPath();
      pen.moveTo(...middle);
      pen.lineTo(...is);
      pen.stroke();
    }
  }
}

function ring(pen, middle, radii, colour) {
  pen.strokeStyle = colour;
  pen.lineWidth = 2;
  pen.beginPath();
  pen.ellipse(...middle, ...radii, 0, 0, 2 * Math.PI);
  pen.stroke();
}
