// The parts of the matte that is open, added, ordered and removed.
import { reactive } from "../reactive.js";
import { HOWS, offered } from "./parts.js";

const GATHERED = ["names", "colour", "strokes", "shape"]; // parts that add to what is there, where others narrow it

/** @typedef {ReturnType<typeof createPartList>} PartList */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./mattes.js").Mattes} uses.mattes
 * @param {import("./drawing.js").Drawing} uses.drawing
 * @param {import("./picking.js").Picking} uses.picking
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 */
export const createPartList = (page, { editor, sources, mattes, drawing, picking, settings, aim }) => reactive({
  hows: HOWS,

  get choices() {
    const place = editor.document.mattes.findIndex(({ id }) => id === mattes.opened);
    return offered(sources.all, editor.document.mattes.slice(0, place), page);
  },
  key(line) { return `${mattes.opened}/${line.index}`; },
  label(line, what) { return `${what} part ${line.index + 1}`; },
  add(event) {
    const way = this.choices[Number(event.target.value)];
    const chosen = event.target.value;
    event.target.value = "";
    if (!chosen || !way) return;
    aim.drop();
    const count = mattes.current.parts.length;
    const how = count && !GATHERED.includes(way.part.kind) ? "intersect" : "add";
    mattes.openPart = count;
    if (way.part.kind === "shape") drawing.drawShape(way.part.form, how);
    else {
      mattes.commitParts([...mattes.current.parts, { ...way.part, how }]);
      picking.begin(way.part);
    }
  },
  fold(line) {
    aim.drop();
    mattes.openPart = line.open ? -1 : line.index;
    picking.readNames();
  },
  remove(line) {
    aim.drop();
    mattes.commitParts(mattes.current.parts.toSpliced(line.index, 1));
    mattes.openPart = -1;
  },
  move(line, by) {
    const { parts } = mattes.current;
    const to = line.index + by;
    if (to < 0 || to >= parts.length) return;
    mattes.commitParts(parts.toSpliced(line.index, 1).toSpliced(to, 0, parts[line.index]));
    mattes.openPart = to;
  },
  curve(part) { return JSON.stringify(part.curve.points); },
  set(line, changes) { settings.change(line.row, changes); },
});
