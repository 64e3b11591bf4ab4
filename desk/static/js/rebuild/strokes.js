// Strokes of mattes: drawn on the picture at once, exactly by the server on release; each can be chosen again and changed.
import { at } from "./time.js";

const NEAREST = 1.5; // pixels on the screen between points of a stroke
const MOST_POINTS = 4000; // of one stroke; a longer one keeps every other

export const strokes = () => ({
  brush: { size: 60, hardness: 0.7, opacity: 1, erases: false, oneFrame: false },
  chosen: { of: "", index: -1 }, // the stroke whose settings the brush fields show, if any: of which part

  // ---- The brush, or the stroke that is chosen ----
  strokesOf() { return `${this.matte} ${this.openPart}`; },
  isChosen(index) { return this.chosen.of === this.strokesOf() && this.chosen.index === index; },
  chosenIn(part) { return part.strokes.find((_, index) => this.isChosen(index)); },
  hasChosen(part) { return this.chosenIn(part) !== undefined; },
  brushOf(part) {
    const stroke = this.chosenIn(part);
    if (!stroke) return this.brush;
    const { size, hardness, opacity, erases, first } = stroke;
    return { size, hardness, opacity, erases, oneFrame: first !== null };
  },
  strokesListed(part) {
    return part.strokes.map((stroke, index) => ({
      index,
      text: `${stroke.erases ? "−" : ""}${index + 1}`,
      label: `Stroke ${index + 1}${stroke.erases ? ", erases" : ""}${stroke.first === null ? "" : `, frame ${stroke.first} only`}`,
      chosen: this.isChosen(index),
      away: stroke.first !== null && (this.frame < stroke.first || this.frame > stroke.last),
    }));
  },
  chooseStroke(entry) {
    this.chosen = entry.chosen ? { of: "", index: -1 } : { of: this.strokesOf(), index: entry.index };
    this.theStage().draw();
  },
  withBrush(part, field, value) {
    const changes = field === "oneFrame" ? this.framesOf(value) : { [field]: value };
    return { strokes: part.strokes.with(this.chosen.index, { ...this.chosenIn(part), ...changes }) };
  },
  framesOf(only) { return only ? { first: this.frame, last: this.frame } : { first: null, last: null }; },
  slideBrush(part, field, value) {
    if (this.hasChosen(part)) this.slide(part, this.withBrush(part, field, value));
  },
  setBrush(part, field, value) {
    if (this.hasChosen(part)) this.change(part, this.withBrush(part, field, value));
    else this.brush = { ...this.brush, [field]: value };
  },
  removeStroke(part) { this.change(part, { strokes: part.strokes.toSpliced(this.chosen.index, 1) }); },
  clearStrokes(part) { this.change(part, { strokes: [] }); },

  // ---- On the picture ----
  drawStrokes() {
    const stage = this.theStage();
    let points = [];
    const put = ({ x, y }) => points.push([Number(x.toFixed(2)), Number(y.toFixed(2))]);
    this.aim(`draw ${this.matte} ${this.openPart}`, "Draw; Alt moves the picture", {
      press: put,
      move: (place) => {
        const [x, y] = points.at(-1);
        if (Math.hypot(place.x - x, place.y - y) * stage.zoom >= NEAREST) put(place);
      },
      release: () => {
        this.addStroke(points);
        points = [];
      },
      draw: (pen) => {
        if (points.length) this.paintStroke(pen, points);
        else this.markChosen(pen);
      },
    });
  },
  pathOf(points) {
    const stage = this.theStage();
    const path = new Path2D();
    points.forEach(([x, y], index) => path[index ? "lineTo" : "moveTo"](...stage.onScreen({ x, y })));
    path.lineTo(...stage.onScreen({ x: points.at(-1)[0], y: points.at(-1)[1] + 0.01 }));
    return path;
  },
  paintStroke(pen, points) {
    const { size, erases } = this.brushOf(this.partLines[this.openPart].row);
    Object.assign(pen, { lineWidth: size * this.theStage().zoom, lineCap: "round", lineJoin: "round", strokeStyle: `${erases ? "#000000" : this.tintOf}99` });
    pen.stroke(this.pathOf(points));
  },
  // Along its middle, so that what it covers stays to be seen.
  markChosen(pen) {
    const part = this.partLines[this.openPart]?.row;
    const stroke = part?.kind === "strokes" && this.chosenIn(part);
    if (!stroke) return;
    const [x, y] = [at(part.x, this.frame), at(part.y, this.frame)];
    const path = this.pathOf(stroke.points.map(([px, py]) => [px + x, py + y]));
    for (const [strokeStyle, lineWidth] of [["#000a", 5], ["#fff", 2]]) {
      Object.assign(pen, { strokeStyle, lineWidth, lineCap: "round", lineJoin: "round" });
      pen.stroke(path);
    }
  },
  // Drawn where it is seen: strokes that were moved as a whole are drawn where they came from.
  addStroke(points) {
    const target = this.partLines[this.openPart]?.row;
    if (target?.kind !== "strokes" || !points.length) return;
    const [x, y] = [at(target.x, this.frame), at(target.y, this.frame)];
    const { oneFrame: only, ...brush } = this.brushOf(target); // as its fields say, be they those of another stroke
    const every = Math.ceil(points.length / MOST_POINTS);
    const kept = points.filter((_, index) => index % every === 0 || index === points.length - 1);
    const stroke = { ...brush, ...this.framesOf(only), points: kept.map(([px, py]) => [px - x, py - y]) };
    this.brush = this.brushOf(target);
    this.chosen = { of: "", index: -1 };
    this.change(target, { strokes: [...target.strokes, stroke] });
  },
});
