// Elements moved and resized on the sheet; edges and middles of others, and of the sheet, catch them.
import { around, boxOf, round } from "./boxes.js";

const CATCH = 6; // pixels of the screen
const LEAST = 0.001;

export const dragging = () => ({
  drag: null, // { kind, corner, at, from: Map, box, lines }
  guides: [],

  toSheet(event) {
    const svg = this.$refs.sheet;
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    return { x: point.x, y: point.y };
  },
  get unitsPerPixel() { return 1 / this.$refs.sheet.getScreenCTM().a; },

  grab(event) {
    const corner = event.target.closest("[data-corner]")?.dataset.corner;
    const id = event.target.closest("[data-element]")?.dataset.element;
    const element = this.elements.find((each) => each.id === id);
    if (!corner && !element) {
      this.chooseNone();
      return;
    }
    if (!corner && (!this.isChosen(element) || event.shiftKey)) this.choose(element, event.shiftKey);
    const moving = this.picked.filter(({ locked }) => !locked);
    if (!this.mayChange || !moving.length) return;
    const boxes = moving.map((each) => boxOf(each, this.$refs.sheet));
    this.drag = {
      corner, at: this.toSheet(event), box: around(boxes), lines: this.linesOf(new Set(this.chosen)), moved: false,
      from: new Map(moving.map((each) => [each.id, { x: each.x, y: each.y, width: each.width, height: each.height }])),
    };
    this.$refs.sheet.setPointerCapture(event.pointerId);
    event.preventDefault();
  },

  // What catches: left, middle and right of everything that stays, and of the sheet; likewise downwards.
  linesOf(moving) {
    const boxes = this.elements
      .filter(({ id, hidden }) => !moving.has(id) && !hidden)
      .map((each) => boxOf(each, this.$refs.sheet));
    boxes.push({ x: 0, y: 0, width: this.board.width, height: this.board.height });
    return {
      x: boxes.flatMap((box) => [box.x, box.x + box.width / 2, box.x + box.width]),
      y: boxes.flatMap((box) => [box.y, box.y + box.height / 2, box.y + box.height]),
    };
  },

  pull(event) {
    if (!this.drag) return;
    const at = this.toSheet(event);
    const by = { x: at.x - this.drag.at.x, y: at.y - this.drag.at.y };
    if (!this.drag.moved && Math.hypot(by.x, by.y) < 3 * this.unitsPerPixel) return;
    this.drag.moved = true;
    this.guides = [];
    if (this.drag.corner) this.resize(by, event);
    else this.move(by, event);
    this.redraw();
  },
  move(by, event) {
    const { box } = this.drag;
    if (event.shiftKey) by[Math.abs(by.x) > Math.abs(by.y) ? "y" : "x"] = 0;
    for (const [along, side] of [["x", "width"], ["y", "height"]]) {
      if (!event.altKey)
        by[along] += this.caught(
          along,
          [box[along], box[along] + box[side] / 2, box[along] + box[side]].map((edge) => edge + by[along]),
        );
    }
    for (const element of this.elements) {
      const from = this.drag.from.get(element.id);
      if (from) Object.assign(element, { x: round(from.x + by.x), y: round(from.y + by.y) });
    }
  },
  // From the opposite corner; with Shift in proportion.
  resize(by, event) {
    const { corner, box, from } = this.drag;
    const [id, start] = [...from][0];
    const element = this.elements.find((each) => each.id === id);
    if (start.width === undefined) return;
    const left = corner.includes("w");
    const upper = corner.includes("n");
    if (!event.altKey) {
      by.x += this.caught("x", [(left ? box.x : box.x + box.width) + by.x]);
      by.y += this.caught("y", [(upper ? box.y : box.y + box.height) + by.y]);
    }
    let width = Math.max(LEAST, start.width + (left ? -by.x : by.x));
    let height = Math.max(LEAST, start.height + (upper ? -by.y : by.y));
    if (event.shiftKey) {
      const scale = Math.max(width / start.width, height / start.height);
      [width, height] = [start.width * scale, start.height * scale];
    }
    Object.assign(element, {
      x: round(left ? start.x + start.width - width : start.x),
      y: round(upper ? start.y + start.height - height : start.y),
      width: round(width),
      height: round(height),
    });
  },
  // How far to the nearest line that one of the edges is close to.
  caught(along, edges) {
    let best = null;
    for (const edge of edges) {
      for (const line of this.drag.lines[along]) {
        const away = line - edge;
        if (Math.abs(away) < CATCH * this.unitsPerPixel && (best === null || Math.abs(away) < Math.abs(best.away)))
          best = { away, line };
      }
    }
    if (best) this.guides.push({ along, at: best.line });
    return best?.away ?? 0;
  },

  release() {
    if (!this.drag) return;
    const { moved, from } = this.drag;
    this.drag = null;
    this.guides = [];
    if (!moved) return;
    const now = new Map(this.elements.filter(({ id }) => from.has(id)).map((each) => [each.id, { ...each }]));
    this.change((board) => {
      for (const element of board.elements) if (now.has(element.id)) Object.assign(element, now.get(element.id));
    });
  },
});
