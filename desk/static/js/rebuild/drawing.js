// Shapes of mattes, drawn on the picture and moved by their handles: at once by the page, exactly by the server on
// release.
import { reactive } from "../reactive.js";
import { corner, distance, drawHandle, handlesOf, keyedShape, movedHandle, placed, short } from "./shapes.js";
import { at, changedTo } from "./time.js";

const GRIP = 10; // pixels on the screen within which a handle is meant
const CLOSED = ["polygon", "smooth"];
const LEAST = { polygon: 3, smooth: 3 };

/** @typedef {ReturnType<typeof createDrawing>} Drawing */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./mattes.js").Mattes} uses.mattes
 * @param {import("./strokes.js").Strokes} uses.strokes
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/stage.js").Stage} uses.stage
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 */
export const createDrawing = (page, { editor, mattes, strokes, settings, frames, stage, aim }) => reactive({
  drawName(line) { return `draw ${mattes.opened} ${line.index}`; },
  toggle(line) {
    mattes.openPart = line.index;
    if (line.row.kind === "strokes") strokes.draw();
    else this.editShape();
  },

  drawShape(form, how) {
    if (CLOSED.includes(form)) this.drawCorners(form, how);
    else this.dragShape(form, how);
  },
  addShape(form, how, fields) {
    aim.drop();
    mattes.openPart = mattes.current.parts.length;
    mattes.commitParts([...mattes.current.parts, { ...page.kinds.parts.shape.blank, how, form, ...fields }]);
    this.editShape();
  },
  dragShape(form, how) {
    let from = null;
    let to = null;
    const fields = () => {
      if (form === "gradient") return { corners: [from, to].map((place) => corner(place)) };
      return {
        x: short((from.x + to.x) / 2),
        y: short((from.y + to.y) / 2),
        width: short(Math.abs(to.x - from.x)),
        height: short(Math.abs(to.y - from.y)),
      };
    };
    aim.start("shape", `Drag the ${form}`, {
      press: (place) => (from = to = place),
      move: (place) => (to = place),
      release: (place) => {
        to = place;
        if (Math.hypot(to.x - from.x, to.y - from.y) > 1) this.addShape(form, how, fields());
        else from = null;
      },
      draw: (pen) => from && this.outlineShape(pen, { ...page.kinds.parts.shape.blank, form, ...fields() }),
    });
  },
  drawCorners(form, how) {
    const corners = [];
    let pointer = null;
    const isFirst = (place) => corners.length >= LEAST[form] && distance(stage, place, corners[0]) < GRIP;
    aim.start("shape", "Press corner after corner; the first once more closes it", {
      press: (place) => (pointer = place),
      move: (place) => (pointer = place),
      release: (place) => {
        if (isFirst(place)) this.addShape(form, how, { corners });
        else corners.push(corner(place));
      },
      draw: (pen) => {
        if (corners.length)
          this.outlineShape(pen, {
            ...page.kinds.parts.shape.blank,
            form: "polygon",
            corners: pointer ? [...corners, pointer] : corners,
          });
        corners.forEach((place) => this.handle(pen, place));
      },
    });
  },
  // The handles of the open shape; a number that is keyed gets a key where it is moved.
  editShape() {
    let grabbed = null;
    let changes = null;
    aim.start(`draw ${mattes.opened} ${mattes.openPart}`, "Drag the handles; Alt moves the picture", {
      press: (place) => {
        const handles = handlesOf(mattes.openedPart, frames.current);
        const near = handles
          .map((handle, index) => ({ index, away: distance(stage, place, handle) }))
          .sort((a, b) => a.away - b.away)[0];
        grabbed = near && near.away < GRIP ? near.index : null;
      },
      move: (place) => {
        const target = mattes.partLines[mattes.openPart]?.row;
        if (grabbed === null || !target) return;
        changes = movedHandle(target, grabbed, place, frames.current);
        settings.slide(target, changes);
      },
      release: () => {
        if (changes) settings.change(mattes.partLines[mattes.openPart].row, changes);
        grabbed = changes = null;
      },
      draw: (pen) => {
        const part = editor.sliding()
          ? editor.sliding().mattes.find(({ id }) => id === mattes.opened)?.parts[mattes.openPart]
          : mattes.openedPart;
        if (part?.kind !== "shape") return;
        this.outlineShape(pen, part);
        handlesOf(part, frames.current).forEach((place) => this.handle(pen, place));
      },
    });
  },
  get keyShapeText() { return `Key it at ${frames.current}`; },
  keyShape(part) { settings.change(part, keyedShape(part, frames.current)); },
  // Every side has a softness of its own, from one corner to the next.
  hasSides(part) { return part.kind === "shape" && CLOSED.includes(part.form); },
  sideLabel(index) { return `softness of side ${index + 1}`; },
  softAt(place) { return at(place.soft, frames.current); },
  withSide(part, index, soft) {
    const old = part.corners[index];
    return { corners: part.corners.with(index, { ...old, soft: changedTo(old.soft, frames.current, soft) }) };
  },
  slideSide(part, index, soft) { settings.slide(part, this.withSide(part, index, soft)); },
  setSide(part, index, soft) { settings.change(part, this.withSide(part, index, soft)); },
  outlineShape(pen, part) {
    const path = new Path2D();
    const go = (name, place) => path[name](...stage.onScreen(place));
    const [x, y, wide, high] = ["x", "y", "width", "height"].map((field) => at(part[field], frames.current));
    if (part.corners.length) {
      part.corners
        .map((place) => placed(place, part, frames.current))
        .forEach((place, index) => go(index ? "lineTo" : "moveTo", place));
      if (part.form !== "gradient") path.closePath();
    } else {
      const [left, top] = stage.onScreen({ x, y });
      const turn = (at(part.turn, frames.current) * Math.PI) / 180;
      const [a, b] = [(wide / 2) * stage.across, (high / 2) * stage.zoom];
      if (part.form === "ellipse") path.ellipse(left, top, a, b, turn, 0, 2 * Math.PI);
      else {
        const box = new Path2D();
        box.rect(-a, -b, 2 * a, 2 * b);
        path.addPath(box, new DOMMatrix().translate(left, top).rotate((turn * 180) / Math.PI));
      }
    }
    for (const [strokeStyle, lineWidth] of [["#000a", 3], ["#fff", 1]]) {
      Object.assign(pen, { strokeStyle, lineWidth });
      pen.stroke(path);
    }
  },
  handle(pen, place) {
    drawHandle(pen, stage.onScreen(place));
  },
});
