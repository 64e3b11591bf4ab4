// The numbers of whatever is edited: a row, a part of a matte, a step of the finish; at the frame that is shown.
import { kelvinOf } from "../formulas.js";
import { at, changedTo } from "./time.js";

const AMOUNT = { field: "amount" };

export const targetNumbers = () => ({
  isWide(row, number) { return number.parts.length > 1 || this.isKeyedNumber(row, number); },
  fieldOf(row, { field }, part) { return row[field].length === undefined ? row[field] : row[field][part]; },
  numberAt(row, number, part) { return at(this.fieldOf(row, number, part), this.frame); },
  numberLabel({ title }, part) { return part ? `${title} ${part}` : title; },
  unitText(row, number) {
    if (number.unit !== "mired") return number.unit;
    return `${Math.round(kelvinOf(this.numberAt(row, number, 0)))} K`;
  },
  withNumber(row, { field }, part, change) {
    const value = row[field].length === undefined ? change(row[field]) : row[field].map((old, index) => (index === part ? change(old) : old));
    return { [field]: value };
  },
  slideNumber(row, number, part, value) {
    this.slide(row, this.withNumber(row, number, part, (old) => changedTo(old, this.frame, value)));
  },
  setNumber(row, number, part, value) {
    this.change(row, this.withNumber(row, number, part, (old) => changedTo(old, this.frame, value)));
  },
  amountAt(row) { return at(row.amount, this.frame); },
  slideAmount(row, value) { this.slideNumber(row, AMOUNT, 0, value); },
  setAmount(row, value) { this.setNumber(row, AMOUNT, 0, value); },
  tintColour(row) {
    const tint = row.tint.map((value) => at(value, this.frame));
    const peak = Math.max(1, ...tint);
    return "#" + tint.map((value) => Math.round((value / peak) * 255).toString(16).padStart(2, "0")).join("");
  },
  tinted(row, hex) {
    const colour = [1, 3, 5].map((from) => Number((parseInt(hex.slice(from, from + 2), 16) / 255).toFixed(4)));
    return { tint: row.tint.map((old, index) => changedTo(old, this.frame, colour[index])) };
  },
  setColour(row, hex) { this.change(row, this.tinted(row, hex)); },
  slideColour(row, hex) { this.slide(row, this.tinted(row, hex)); },
});
