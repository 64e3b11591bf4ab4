// The opened row: its choices, the place of an overlay, and what else it has.
import { post } from "../api.js";

const LEAST_CERTAIN = 0.3; // of a place that is worth a suggestion

export const trims = (page, shared) => ({
  place: null, // where an overlay was found to belong

  // A picture brings the frame along at which it starts; without one chosen yet it is one of other files, where there are any.
  choose(row, field, value) {
    const { element } = this.sourceOf({ source: this.ledger.beauty }) ?? {};
    const first = this.sources.find((source) => !source.data && source.element !== element) ?? this.sources.find(({ data }) => !data);
    if (field === "source") this.add(`${this.kindOf(row).takenAs} ${value}`, row.id);
    else if (field === "fill" && value === "picture" && !row.source) this.add(`behind ${first.key}`, row.id);
    else this.set(row, field, value || null);
  },
  measures(row) { return Boolean(this.kindOf(row).measures); },

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
