// The opened row: its numbers and their keys, its curves, its matte, and what else it has.
import { post } from "../api.js";
import { at, changedTo, eased, isKeyed, keyAt, toggled } from "./time.js";
import * as tree from "./tree.js";

const NUMBERS = [
  { field: "amount", title: "amount", step: 0.01, digits: 2, parts: [""] },
  { field: "exposure", title: "exposure", unit: "st", step: 0.05, digits: 2, parts: [""] },
  { field: "gain", title: "gain", step: 0.01, digits: 2, parts: [""] },
  { field: "warmth", title: "warmth", step: 2, digits: 0, parts: [""] },
  { field: "tint", title: "tint", step: 0.01, digits: 2, parts: ["red", "green", "blue"] },
  { field: "offset", title: "offset", step: 0.002, digits: 3, parts: ["red", "green", "blue"] },
  { field: "saturation", title: "saturation", step: 0.01, digits: 2, parts: [""] },
  { field: "hue", title: "hue", unit: "°", step: 1, digits: 0, parts: [""] },
  { field: "contrast", title: "contrast", step: 0.01, digits: 2, parts: [""] },
  { field: "pivot", title: "pivot", step: 0.005, digits: 3, parts: [""] },
  { field: "gamma", title: "gamma", step: 0.01, digits: 2, parts: [""] },
];
// What rows of a kind have beside the numbers of all rows; choices are words, switches are on or off.
const COLOUR = { step: 0.01, digits: 3, parts: ["red", "green", "blue"] };
const OWN = {
  overlay: [
    { field: "x", title: "right", unit: "px", step: 0.25, digits: 2, parts: [""] },
    { field: "y", title: "down", unit: "px", step: 0.25, digits: 2, parts: [""] },
    { field: "scale", title: "scale", step: 0.001, digits: 3, parts: [""] },
    { field: "wipe", title: "wipe", step: 0.01, digits: 2, parts: [""] },
    { field: "wipe_angle", title: "angle", unit: "°", step: 1, digits: 0, parts: [""] },
    { field: "wipe_soft", title: "softness", step: 0.01, digits: 2, parts: [""] },
    { field: "crop", title: "crop", step: 0.005, digits: 2, parts: ["left", "top", "right", "bottom"] },
  ],
  background: [
    { field: "colour", title: "colour", ...COLOUR },
    { field: "second", title: "second", ...COLOUR },
    { field: "angle", title: "angle", unit: "°", step: 1, digits: 0, parts: [""] },
    { field: "begins", title: "begins", step: 0.01, digits: 2, parts: [""] },
    { field: "ends", title: "ends", step: 0.01, digits: 2, parts: [""] },
  ],
  fog: [
    { field: "colour", title: "colour", ...COLOUR },
    { field: "near", title: "near", step: 0.01, digits: 3, parts: [""] },
    { field: "far", title: "far", step: 0.01, digits: 3, parts: [""] },
    { field: "falloff", title: "falloff", step: 0.01, digits: 2, parts: [""] },
  ],
};
const CHOICES = {
  background: [{ field: "fill", title: "fill", words: ["colour", "linear", "radial"] }],
  fog: [
    { field: "through", title: "through", words: ["mist", "depth", "height"] },
    { field: "mode", title: "thins as", words: ["mix", "transmittance"] },
  ],
};
const LEAST_CERTAIN = 0.3; // of a place that is worth a suggestion
const MOST_DISTANCE = 20; // scene units from which a drag goes faster

const NEUTRAL_KELVIN = 6504;
const CURVES = ["all", "red", "green", "blue"];

export const trims = (page, held) => ({
  curveNames: CURVES,
  curveName: "all",
  place: null, // where an overlay was found to belong
  eases: ["linear", "smooth", "hold"],

  // ---- Numbers ----
  numbersOf(row) {
    return [...(OWN[row.kind] ?? []), ...NUMBERS].map((number) => ({ ...number, range: page.blank.ranges[number.field], step: this.stepOf(row, number) }));
  },
  // Depth is in units of the scene: what is far is dragged faster.
  stepOf(row, { field, step }) {
    return (field === "near" || field === "far") && row.through !== "mist" && Math.abs(at(row.far, this.frame)) > MOST_DISTANCE ? step * 10 : step;
  },
  choicesOf(row) { return CHOICES[row.kind] ?? []; },
  isFog(row) { return row.kind === "fog"; },
  fieldOf(row, { field }, part) { return row[field].length === undefined ? row[field] : row[field][part]; },
  numberAt(row, number, part) { return at(this.fieldOf(row, number, part), this.frame); },
  neutralOf(row, { field }, part) {
    const neutral = page.blank[row.kind][field];
    return Array.isArray(neutral) ? neutral[part] : neutral;
  },
  numberLabel({ title }, part) { return part ? `${title} ${part}` : title; },
  unitText(row, number) {
    if (number.field !== "warmth") return number.unit ?? "";
    return `${Math.round(1e6 / (1e6 / NEUTRAL_KELVIN + this.numberAt(row, number, 0)))} K`;
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
  slideAmount(row, value) { this.slideNumber(row, NUMBERS[0], 0, value); },
  setAmount(row, value) { this.setNumber(row, NUMBERS[0], 0, value); },
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

  // ---- Keys ----
  partsOf(row, { field }) { return Array.isArray(row[field]) ? row[field] : [row[field]]; },
  isKeyedNumber(row, number) { return this.partsOf(row, number).some(isKeyed); },
  hasKey(row, number) { return this.partsOf(row, number).some((part) => keyAt(part, this.frame)); },
  keyIcon(row, number) { return this.hasKey(row, number) ? "bi-diamond-fill" : this.isKeyedNumber(row, number) ? "bi-diamond-half" : "bi-diamond"; },
  keyLabel(row, number) { return `${this.hasKey(row, number) ? "Take the key away from" : "Key"} ${number.title} at frame ${this.frame}`; },
  toggleKey(row, { field }) {
    const has = this.hasKey(row, { field });
    const change = (number) => (has === Boolean(keyAt(number, this.frame)) ? toggled(number, this.frame) : number);
    this.change(row, { [field]: Array.isArray(row[field]) ? row[field].map(change) : change(row[field]) });
  },
  easeOf(row, number) { return this.partsOf(row, number).map((part) => keyAt(part, this.frame)).find(Boolean)?.ease ?? "linear"; },
  setEase(row, { field }, ease) {
    const change = (number) => (keyAt(number, this.frame) ? eased(number, this.frame, ease) : number);
    this.change(row, { [field]: Array.isArray(row[field]) ? row[field].map(change) : change(row[field]) });
  },
  keysText(row, number) {
    const keyed = this.partsOf(row, number).find(isKeyed);
    return keyed ? keyed.keys.map((key) => `${key.frame}: ${Number(key.value.toFixed(3))}`).join("  ") : "";
  },

  // ---- Where an overlay belongs ----
  isOverlay(row) { return row.kind === "overlay"; },
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

  // ---- Curves ----
  curvePoints(row) { return JSON.stringify(row.curves[this.curveName].points); },
  withCurve(row, points) { return { curves: { ...row.curves, [this.curveName]: { points } } }; },
  slideCurve(row, points) { this.slide(row, this.withCurve(row, points)); },
  setCurve(row, points) { this.change(row, this.withCurve(row, points)); },
  hasCurve(row, name) { return row.curves[name].points.length > 0; },
  curveTitle(row, name) { return this.hasCurve(row, name) ? `${name} ●` : name; },

  // ---- Mattes ----
  get covering() { return this.sources.filter((source) => source.alpha); },
  matteChoices(row) {
    const own = this.ledger.mattes.map(({ id }) => ({ value: `matte ${id}`, text: id, chosen: row.matte === id }));
    const used = new Set(this.ledger.mattes.map(({ source }) => source));
    const fresh = this.covering.filter(({ key }) => !used.has(key));
    return [...own, ...fresh.map(({ key, title }) => ({ value: `alpha ${key}`, text: `alpha of ${title}`, chosen: false }))];
  },
  matteLabel(row) { return `Matte of ${this.rowTitle(row)}`; },
  matteOf(row) { return this.ledger.mattes.find(({ id }) => id === row.matte); },
  isInverted(row) { return this.matteOf(row)?.kind === "inverted"; },
  setMatte(row, chosen) {
    const [, kind, name] = chosen.match(/^(matte|alpha) (.*)$/s) ?? [null, "none", ""];
    if (kind !== "alpha") {
      this.change(row, { matte: kind === "matte" ? name : null });
      return;
    }
    const id = this.freeMatte(`alpha of ${name.split("/").at(-1)}`);
    const mattes = [...held.kept.current.mattes, { kind: "alpha", id, source: name, comment: "" }];
    this.commit(tree.withRow({ ...held.kept.current, mattes }, row.id, { matte: id }));
  },
  // The other way round: the matte that inverts this one, made if there is none, or the one that it inverts.
  invertMatte(row) {
    const ledger = held.kept.current;
    const matte = this.matteOf(row);
    if (matte.kind === "inverted") {
      this.change(row, { matte: matte.of });
      return;
    }
    const known = ledger.mattes.find(({ kind, of }) => kind === "inverted" && of === matte.id);
    const made = known ?? { kind: "inverted", id: this.freeMatte(`not ${matte.id}`), of: matte.id, comment: "" };
    const mattes = known ? ledger.mattes : [...ledger.mattes, made];
    this.commit(tree.withRow({ ...ledger, mattes }, row.id, { matte: made.id }));
  },
  freeMatte(wanted) {
    const taken = new Set(held.kept.current.mattes.map(({ id }) => id));
    const short = wanted.slice(0, 72);
    let id = short;
    for (let number = 2; taken.has(id); number++) id = `${short} ${number}`;
    return id;
  },

  // ---- The rest ----
  operatorOf(row) { return page.operators.find(({ key }) => key === row.operator); },
  operatorHint(row) {
    const { title, formula, safe, aboveOne } = this.operatorOf(row);
    return `${title}: ${formula}.${safe ? "" : ` Light above 1: ${aboveOne}.`}`;
  },
  canDisplay(row) { return this.operatorOf(row).display; },
  isUnsafe(row) { return !this.operatorOf(row).safe; },
  isPass(row) { return row.kind === "pass"; },
  isGroup(row) { return row.kind === "group"; },
  hasAlpha(row) { return this.isPass(row) && Boolean(this.sourceOf(row)?.alpha); },
  isTrimmed(row) { return JSON.stringify(page.blank.trims) !== JSON.stringify(Object.fromEntries(Object.keys(page.blank.trims).map((name) => [name, row[name]]))); },
  resetRow(row) { this.change(row, { amount: 1, ...page.blank.trims }); },
});
