// How the rig's upright picture lies on the panel, and the lines that are drawn on it. A rig speaks
// in shares of the picture's width and height; what is drawn is in pixels of the panel.

/** How shares of the picture become shares of the panel, by how far the panel is turned. */
const BACK = {
  0: ([x, y]) => [x, y],
  90: ([x, y]) => [y, 1 - x],
  180: ([x, y]) => [1 - x, 1 - y],
  270: ([x, y]) => [1 - y, x],
};

export class Picture {
  /**
   * On a panel of this size in pixels, turned clockwise by so many degrees; `proportion` is how
   * high the picture is in widths, where the rig says it. Otherwise the panel is believed.
   */
  constructor(size, turned, proportion) {
    this.size = size;
    this.turned = turned;
    this.back = BACK[turned];
    const [width, height] = this.swapped(size);
    this.proportion = proportion ?? height / width;
  }

  /** Of something that lies along the picture's sides, what lies along the panel's. */
  swapped([along, down]) {
    return this.turned % 180 === 0 ? [along, down] : [down, along];
  }

  /** A place of the picture, in pixels of the panel. */
  place(shares) {
    return this.back(shares).map((share, axis) => share * this.size[axis]);
  }

  /**
   * The radii of a circle, in pixels along the panel's sides: two, because the rig may say that
   * the picture has another proportion than this panel.
   */
  radii(share) {
    return this.swapped([share, share / this.proportion]).map((of, axis) => of * this.size[axis]);
  }

  /** The line around a zone, and its middle. */
  outline(zone) {
    const line = new Path2D();
    if (zone.circle) {
      const middle = this.place(zone.circle.slice(0, 2));
      line.ellipse(...middle, ...this.radii(zone.circle[2]), 0, 0, 2 * Math.PI);
      return { line, middle };
    }
    const [x, y, w, h] = zone.rect ?? [];
    const shares = zone.polygon ?? [[x, y], [x + w, y], [x + w, y + h], [x, y + h]];
    const corners = shares.map((corner) => this.place(corner));
    corners.forEach((corner, n) => (n === 0 ? line.moveTo(...corner) : line.lineTo(...corner)));
    line.closePath();
    const mean = (axis) => corners.reduce((sum, corner) => sum + corner[axis], 0) / corners.length;
    return { line, middle: [mean(0), mean(1)] };
  }

  /** Words that stand upright for whoever holds the panel as the rig says. */
  words(pen, lines, [x, y], colour, height) {
    pen.save();
    pen.translate(x, y);
    pen.rotate((-this.turned * Math.PI) / 180);
    pen.fillStyle = colour;
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    lines.forEach((text, n) => pen.fillText(text, 0, -n * height));
    pen.restore();
  }
}
