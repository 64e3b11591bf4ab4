// Where a step counts: a matte of the ledger, painted over or taken away from in the picture.
import { reactive } from "../reactive.js";
import { freeName, stepsUsing, withMatte } from "../rebuild/matte-tree.js";
import { withStep } from "./chain.js";

const NEAREST = 1.5; // pixels on the screen between points of a stroke
const ALL = "everywhere"; // what a matte is made of that begins with taking away

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {import("../rebuild/settings.js").Settings} uses.settings
 * @param {import("./steps.js").Steps} uses.steps
 * @param {import("../viewer/stage.js").Stage} uses.stage
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 */
export const createPainting = (page, { editor, settings, steps, stage, aim }) => reactive({
  brush: { size: 80, hardness: 0.2, opacity: 1 },

  mattesOf(step) {
    return editor.document.mattes.map(({ id }) => ({ value: id, text: id, chosen: step.matte === id }));
  },
  mattesFor(step, field) {
    return editor.document.mattes.map(({ id }) => ({ value: id, text: id, chosen: step[field] === id }));
  },
  otherMattes(step) {
    return Object.entries(settings.kindOf(step).mattes)
      .filter(([field]) => field !== "matte")
      .map(([field, title]) => ({ field, title }));
  },
  setMatte(step, id) { settings.change(step, { matte: id || null }); },
  get isPainting() { return aim.is("paint add") || aim.is("paint subtract"); },
  paintText(how) { return how === "add" ? "Paint over" : "Erase"; },
  paint(how) {
    let points = [];
    const put = ({ x, y }) => points.push([Number(x.toFixed(2)), Number(y.toFixed(2))]);
    aim.start(
      `paint ${how}`,
      how === "add"
        ? "Paint where the step is to count; Alt moves the picture"
        : "Paint where it is not to count; Alt moves the picture",
      {
        press: put,
        move: (place) => {
          const [x, y] = points.at(-1);
          if (Math.hypot(place.x - x, place.y - y) * stage.zoom >= NEAREST) put(place);
        },
        release: () => {
          const done = points;
          points = [];
          if (steps.opened && done.length) editor.commit(this.painted(steps.opened, how, done));
        },
        draw: (pen) => points.length && this.drawBrush(pen, points, how),
      },
    );
  },
  drawBrush(pen, points, how) {
    const path = new Path2D();
    points.forEach(([x, y], index) => path[index ? "lineTo" : "moveTo"](...stage.onScreen({ x, y })));
    path.lineTo(...stage.onScreen({ x: points.at(-1)[0], y: points.at(-1)[1] + 0.01 }));
    Object.assign(pen, {
      lineWidth: this.brush.size * stage.zoom,
      lineCap: "round",
      lineJoin: "round",
      strokeStyle: how === "add" ? "#ffffff66" : "#00000088",
    });
    pen.stroke(path);
  },
  // The step's own matte gets the stroke; one that others use too becomes part of a new one, so that those stay as they
  // are.
  painted(step, how, points) {
    const current = editor.current();
    const stroke = { points, ...this.brush, erases: false, first: null, last: null };
    const strokes = { ...page.blankStrokes, how, strokes: [stroke] };
    const own = current.mattes.find(({ id }) => id === step.matte);
    if (own?.kind === "made" && this.isOnlyOf(current, step, own.id)) {
      const last = own.parts.at(-1);
      const goesOn = last?.kind === "strokes" && last.how === how && !last.inverted && last.amount === 1;
      const parts = goesOn
        ? own.parts.with(-1, { ...last, strokes: [...last.strokes, stroke] })
        : [...own.parts, strokes];
      return withMatte(current, { ...own, parts });
    }
    const id = freeName(current.mattes, `${step.name || step.id} painted`);
    const before = own
      ? [{ ...page.blankMattePart, of: own.id }]
      : how === "subtract"
        ? [{ ...page.blankStrokes, inverted: true }]
        : [];
    return withStep(
      withMatte(current, { kind: "made", id, comment: own ? "" : ALL, parts: [...before, strokes] }),
      step.id,
      { matte: id },
    );
  },
  isOnlyOf(ledger, step, id) {
    const inRows = (rows) => rows.some((row) => row.matte === id || inRows(row.rows ?? []));
    const inMattes = ledger.mattes.some((other) => other.of === id || other.parts?.some(({ of }) => of === id));
    return (
      !inRows(ledger.rows) &&
      !inMattes &&
      !stepsUsing(ledger, id, page.mattesOfSteps).some((other) => other.id !== step.id)
    );
  },
  setBrush(field, value) { this.brush = { ...this.brush, [field]: value }; },
});
