// Dimmers: the lights of the ledger by themselves. What is set here is written into all rows that hold that light.
import { at, changedTo } from "./time.js";
import * as tree from "./tree.js";

const STRAIGHT = { exposure: 0, warmth: 0, tint: [1, 1, 1], on: true, solo: false };

export const dimmers = (page, shared) => ({
  dimming: false,
  words: "", // what was done to the lights, as a lead says it

  get lights() {
    const byLight = Map.groupBy(
      [...tree.walk(this.ledger.rows)].map(({ row }) => row).filter((row) => this.lightOf(row)),
      (row) => this.lightOf(row),
    );
    return [...byLight].map(([label, rows]) => ({ label, title: label.replaceAll("_", " "), first: rows[0], ids: rows.map(({ id }) => id) }));
  },
  lightOf(row) { return row.kind === "pass" ? (this.sourceOf(row)?.light ?? "") : ""; },
  get hasLights() { return this.lights.length > 0; },
  get canStartByLights() { return this.starts.some(({ by }) => by === "light-groups"); },
  toggleDimming() {
    this.dimming = !this.dimming;
    if (this.dimming && this.matting) this.toggleMatting();
  },
  get wordsText() { return this.words || "All lights as they were rendered."; },

  dimmed(light, changes) {
    return light.ids.reduce((ledger, id) => tree.withRow(ledger, id, changes(tree.find(ledger, id))), shared.ledgers.current);
  },
  setLight(light, field, value) { this.commit(this.dimmed(light, () => ({ [field]: value }))); },
  levelOf({ first }, field) { return at(first[field], this.frame); },
  slideLevel(light, field, value) {
    this.preview(this.dimmed(light, (row) => ({ [field]: changedTo(row[field], this.frame, value) })), light.first.id);
  },
  setLevel(light, field, value) {
    this.commit(this.dimmed(light, (row) => ({ [field]: changedTo(row[field], this.frame, value) })));
  },
  slideTintOf(light, hex) { this.preview(this.dimmed(light, (row) => this.tinted(row, hex)), light.first.id); },
  setTintOf(light, hex) { this.commit(this.dimmed(light, (row) => this.tinted(row, hex))); },
  straighten(light) { this.commit(this.dimmed(light, () => STRAIGHT)); },
  kelvinOf({ first }) { return this.unitText(first, { field: "warmth" }); },
  lightLabel(light, what) { return `${what} of ${light.title}`; },
  lightClass({ first }) { return { off: !first.on }; },
});
