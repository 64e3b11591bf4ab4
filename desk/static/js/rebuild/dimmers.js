// Dimmers: the lights of the ledger by themselves. What is set here is written into all rows that hold that light.
import { reactive } from "../reactive.js";
import { at, changedTo } from "./time.js";
import * as tree from "./tree.js";

const STRAIGHT = { exposure: 0, warmth: 0, tint: [1, 1, 1], on: true, solo: false };

/** @typedef {ReturnType<typeof createDimmers>} Dimmers */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./shares.js").Shares} uses.shares
 * @param {import("./target-numbers.js").Numbers} uses.numbers
 * @param {import("../viewer/frames.js").Frames} uses.frames
 */
export const createDimmers = (page, { editor, sources, shares, numbers, frames }) => reactive({
  get lights() {
    const byLight = Map.groupBy(
      [...tree.walk(editor.document.rows)].map(({ row }) => row).filter((row) => this.lightOf(row)),
      (row) => this.lightOf(row),
    );
    return [...byLight].map(([label, rows]) => ({
      label,
      title: label.replaceAll("_", " "),
      first: rows[0],
      ids: rows.map(({ id }) => id),
    }));
  },
  lightOf(row) { return row.kind === "pass" ? (sources.of(row)?.light ?? "") : ""; },
  get hasLights() { return this.lights.length > 0; },
  get canStartByLights() { return page.starts.some(({ by }) => by === "light-groups"); },
  get wordsText() { return shares.words || "All lights as they were rendered."; },

  dimmed(light, changes) {
    return light.ids.reduce((ledger, id) => tree.withRow(ledger, id, changes(tree.find(ledger, id))), editor.current());
  },
  setLight(light, field, value) { editor.commit(this.dimmed(light, () => ({ [field]: value }))); },
  levelOf({ first }, field) { return at(first[field], frames.current); },
  slideLevel(light, field, value) {
    editor.preview(
      this.dimmed(light, (row) => ({ [field]: changedTo(row[field], frames.current, value) })),
      light.first.id,
    );
  },
  setLevel(light, field, value) {
    editor.commit(this.dimmed(light, (row) => ({ [field]: changedTo(row[field], frames.current, value) })));
  },
  slideTintOf(light, hex) { editor.preview(this.dimmed(light, (row) => numbers.tinted(row, hex)), light.first.id); },
  setTintOf(light, hex) { editor.commit(this.dimmed(light, (row) => numbers.tinted(row, hex))); },
  straighten(light) { editor.commit(this.dimmed(light, () => STRAIGHT)); },
  kelvinOf({ first }) { return numbers.unitText(first, { field: "warmth" }); },
  label(light, what) { return `${what} of ${light.title}`; },
  classOf({ first }) { return { off: !first.on }; },
});
