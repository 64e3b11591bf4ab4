// Strokes of mattes: drawn on the picture at once, exactly by the server on release; each can be chosen again and
// changed.
import { reactive } from "../reactive.js";
import { at } from "./time.js";

const NEAREST = 1.5; // pixels on the screen between points of a stroke
const MOST_POINTS = 4000; // of one stroke; a longer one keeps every other

/** @typedef {ReturnType<typeof createStrokes>} Strokes */

/**
 * @param {object} uses
 * @param {import("./mattes.js").Mattes} uses.mattes
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/stage.js").Stage} uses.stage
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {() => string} uses.tint colour in which a stroke is drawn
 */
export const createStrokes = ({ mattes, settings, frames, stage, aim, tint }) => reactive({
  brush: { size: 60, hardness: 0.7, opacity: 1, erases: false, oneFrame: false },
  chosen: { of: "", index: -1 }, // the stroke whose settings the brush fields show, if any: of which part

  // ---- The brush, or the stroke that is chosen ----
  of() { return `${mattes.opened} ${mattes.openPart}`; },
  isChosen(index) { return this.chosen.of === this.of() && this.chosen.index === index; },
  chosenIn(part) { return part.strokes.find((_, index) => this.isChosen(index)); },
  hasChosen(part) { return this.chosenIn(part) !== undefined; },
  brushOf(part) {
    const stroke = this.chosenIn(part);
    if (!stroke) return this.brush;
    const { size, hardness, opacity, erases, first } = stroke;
    return { size, hardness, opacity, erases, oneFrame: first !== null };
  },
  listed(part) {
    return part.strokes.map((stroke, index) => ({
      index,
      text: `${stroke.erases ? "−" : ""}${index + 1}`,
      label: [
        `Stroke ${index + 1}`, stroke.erases && "erases", stroke.first !== null && `frame ${stroke.first} only`,
      ].filter(Boolean).join(", "),
      chosen: this.isChosen(index),
      away: stroke.first !== null && (frames.current < stroke.first || frames.current > stroke.last),
    }));
  },
  choose(entry) {
    this.chosen = entry.chosen ? { of: "", index: -1 } : { of: this.of(), index: entry.index };
    stage.draw();
  },
  withBrush(part, field, value) {
    const changes = field === "oneFrame" ? this.framesOf(value) : { [field]: value };
    return { strokes: part.strokes.with(this.chosen.index, { ...this.chosenIn(part), ...changes }) };
  },
  framesOf(only) { return only ? { first: frames.current, last: frames.current } : { first: null, last: null }; },
  slideBrush(part, field, value) {
    if (this.hasChosen(part)) settings.slide(part, this.withBrush(part, field, value));
  },
  setBrush(part, field, value) {
    if (this.hasChosen(part)) settings.change(part, this.withBrush(part, field, value));
    else this.brush = { ...this.brush, [field]: value };
  },
  remove(part) { settings.change(part, { strokes: part.strokes.toSpliced(this.chosen.index, 1) }); },
  clear(part) { settings.change(part, { strokes: [] }); },

  // ---- On the picture ----
  draw() {
    let points = [];
    const put = ({ x, y }) => points.push([Number(x.toFixed(2)), Number(y.toFixed(2))]);
    aim.start(`draw ${mattes.opened} ${mattes.openPart}`, "Draw; Alt moves the picture", {
      press: put,
      move: (place) => {
        const [x, y] = points.at(-1);
        if (Math.hypot(place.x - x, place.y - y) * stage.zoom >= NEAREST) put(place);
      },
      release: () => {
        this.add(points);
        points = [];
      },
      draw: (pen) => {
        if (points.length) this.paint(pen, points);
        else this.markChosen(pen);
      },
    });
  },
  pathOf(points) {
    const path = new Path2D();
    points.forEach(([x, y], index) => path[index ? "lineTo" : "moveTo"](...stage.onScreen({ x, y })));
    path.lineTo(...stage.onScreen({ x: points.at(-1)[0], y: points.at(-1)[1] + 0.01 }));
    return path;
  },
  paint(pen, points) {
    const { size, erases } = this.brushOf(mattes.partLines[mattes.openPart].row);
    Object.assign(pen, {
      lineWidth: size * stage.zoom,
      lineCap: "round",
      lineJoin: "round",
      strokeStyle: `${erases ? "#000000" : tint()}99`,
    });
    pen.stroke(this.pathOf(points));
  },
  // Along its middle, so that what it covers stays to be seen.
  markChosen(pen) {
    const part = mattes.partLines[mattes.openPart]?.row;
    const stroke = part?.kind === "strokes" && this.chosenIn(part);
    if (!stroke) return;
    const [x, y] = [at(part.x, frames.current), at(part.y, frames.current)];
    const path = this.pathOf(stroke.points.map(([px, py]) => [px + x, py + y]));
    for (const [strokeStyle, lineWidth] of [["#000a", 5], ["#fff", 2]]) {
      Object.assign(pen, { strokeStyle, lineWidth, lineCap: "round", lineJoin: "round" });
      pen.stroke(path);
    }
  },
  // Drawn where it is seen: strokes that were moved as a whole are drawn where they came from.
  add(points) {
    const target = mattes.partLines[mattes.openPart]?.row;
    if (target?.kind !== "strokes" || !points.length) return;
    const [x, y] = [at(target.x, frames.current), at(target.y, frames.current)];
    const { oneFrame: only, ...brush } = this.brushOf(target); // as its fields say, be they those of another stroke
    const every = Math.ceil(points.length / MOST_POINTS);
    const kept = points.filter((_, index) => index % every === 0 || index === points.length - 1);
    const stroke = { ...brush, ...this.framesOf(only), points: kept.map(([px, py]) => [px - x, py - y]) };
    this.brush = this.brushOf(target);
    this.chosen = { of: "", index: -1 };
    settings.change(target, { strokes: [...target.strokes, stroke] });
  },
});
