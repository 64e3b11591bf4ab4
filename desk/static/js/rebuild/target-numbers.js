// The numbers of whatever is edited: a row, a part of a matte, a step of the finish; at the frame that is shown.
import { kelvinOf } from "../formulas.js";
import { reactive } from "../reactive.js";
import { at, changedTo } from "./time.js";

const AMOUNT = { field: "amount" };

/** @typedef {ReturnType<typeof createNumbers>} Numbers */

/**
 * @param {object} uses
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./keys.js").Keys} uses.keys
 * @param {import("../viewer/frames.js").Frames} uses.frames
 */
export const createNumbers = ({ settings, keys, frames }) => reactive({
  isWide(row, number) { return number.parts.length > 1 || keys.isKeyed(row, number); },
  fieldOf(row, { field }, part) { return row[field].length === undefined ? row[field] : row[field][part]; },
  at(row, number, part) { return at(this.fieldOf(row, number, part), frames.current); },
  label({ title }, part) { return part ? `${title} ${part}` : title; },
  unitText(row, number) {
    if (number.unit !== "mired") return number.unit;
    return `${Math.round(kelvinOf(this.at(row, number, 0)))} K`;
  },
  withNumber(row, { field }, part, change) {
    const value =
      row[field].length === undefined
        ? change(row[field])
        : row[field].map((old, index) => (index === part ? change(old) : old));
    return { [field]: value };
  },
  slide(row, number, part, value) {
    settings.slide(row, this.withNumber(row, number, part, (old) => changedTo(old, frames.current, value)));
  },
  set(row, number, part, value) {
    settings.change(row, this.withNumber(row, number, part, (old) => changedTo(old, frames.current, value)));
  },
  amountAt(row) { return at(row.amount, frames.current); },
  slideAmount(row, value) { this.slide(row, AMOUNT, 0, value); },
  setAmount(row, value) { this.set(row, AMOUNT, 0, value); },
  tintColour(row) {
    const tint = row.tint.map((value) => at(value, frames.current));
    const peak = Math.max(1, ...tint);
    return "#" + tint.map((value) => Math.round((value / peak) * 255).toString(16).padStart(2, "0")).join("");
  },
  tinted(row, hex) {
    const colour = [1, 3, 5].map((from) => Number((parseInt(hex.slice(from, from + 2), 16) / 255).toFixed(4)));
    return { tint: row.tint.map((old, index) => changedTo(old, frames.current, colour[index])) };
  },
  setColour(row, hex) { settings.change(row, this.tinted(row, hex)); },
  slideColour(row, hex) { settings.slide(row, this.tinted(row, hex)); },
});
