// The opened row: its numbers and choices, the place of an overlay, and what else it has.
import { post } from "../api.js";
import { kelvinOf } from "../formulas.js";
import { at, changedTo } from "./time.js";

const LEAST_CERTAIN = 0.3; // of a place that is worth a suggestion
const AMOUNT = { field: "amount" };

export const trims = (page, shared) => ({
  place: null, // where an overlay was found to belong

  // ---- Numbers ----
  // A picture brings the frame along at which it starts; without one chosen yet it is one of other files, where there are any.
  choose(row, field, value) {
    const { element } = this.sourceOf({ source: this.ledger.beauty }) ?? {};
    const first = this.sources.find((source) => !source.data && source.element !== element) ?? this.sources.find(({ data }) => !data);
    if (field === "source") this.add(`${this.kindOf(row).takenAs} ${value}`, row.id);
    else if (field === "fill" && value === "picture" && !row.source) this.add(`behind ${first.key}`, row.id);
    else this.set(row, field, value || null);
  },
  measures(row) { return Boolean(this.kindOf(row).measures); },
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

  // ---- Where an overlay belongs ----
  hasPlace(row) { return this.kindOf(row).hasPlace; },
  async findPlace(row) {
    await this.guarded(async () => {
      this.place = { ...(await (await post(page.urls.place, { ...this.question, row: row.id })).json()), row: row.id };
    });
  },
  get placeText() {
    const { x, y, certainty, inPlace } = this.place ?? {};
    if (certainty === undefined) return "";
    const sure = `${Math.round(certainty * 100)} % certain`;
    if (certainty < LEAST_CERTAIN) return `No place stands out (${sure}): the lines may be of another size, or of another picture.`;
    if (inPlace) return `Its lines lie on the edges, to a pixel (${sure}).`;
    return `Its lines fit the edges best at ${x} px right, ${y} px down, ${sure}.`;
  },
  isPlaced(row) { return this.place?.row === row.id; },
  get canPlace() { return (this.place?.certainty ?? 0) >= LEAST_CERTAIN && !this.place.inPlace; },
  acceptPlace(row) {
    const { x, y } = this.place;
    this.place = null;
    this.change(row, { x, y });
  },

  // ---- The rest ----
  operatorOf(row) { return page.operators.find(({ key }) => key === row.operator); },
  operatorHint(row) {
    const { title, formula, safe, aboveOne } = this.operatorOf(row);
    return `${title}: ${formula}.${safe ? "" : ` Light above 1: ${aboveOne}.`}`;
  },
  canDisplay(row) { return this.operatorOf(row).display; },
  isUnsafe(row) { return !this.operatorOf(row).safe; },
  isGroup(row) { return Array.isArray(row.rows); },
  isTrimmed(row) { return JSON.stringify(page.trims) !== JSON.stringify(Object.fromEntries(Object.keys(page.trims).map((name) => [name, row[name]]))); },
  resetRow(row) { this.change(row, { amount: 1, ...page.trims }); },
});
