// The opened row: its choices, the place of an overlay, and what else it has.
import { post } from "../api.js";
import { reactive } from "../reactive.js";

const LEAST_CERTAIN = 0.3; // of a place that is worth a suggestion

/** @typedef {ReturnType<typeof createTrims>} Trims */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./rows.js").Rows} uses.rows
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createTrims = (page, { editor, sources, settings, rows, notices }) => reactive({
  place: null, // where an overlay was found to belong

  // A picture brings the frame along at which it starts; without one chosen yet it is one of other files, where there
  // are any.
  choose(row, field, value) {
    const { element } = sources.of({ source: editor.document.beauty }) ?? {};
    const first =
      sources.all.find((source) => !source.data && source.element !== element) ?? sources.all.find(({ data }) => !data);
    if (field === "source") rows.add(`${settings.kindOf(row).takenAs} ${value}`, row.id);
    else if (field === "fill" && value === "picture" && !row.source) rows.add(`behind ${first.key}`, row.id);
    else settings.set(row, field, value || null);
  },

  // ---- Where an overlay belongs ----
  hasPlace(row) { return settings.kindOf(row).hasPlace; },
  async findPlace(row) {
    await notices.guarded(async () => {
      this.place = {
        ...(await (await post(page.urls.place, { ...editor.question(), row: row.id })).json()),
        row: row.id,
      };
    });
  },
  get placeText() {
    const { x, y, certainty, inPlace } = this.place ?? {};
    if (certainty === undefined) return "";
    const sure = `${Math.round(certainty * 100)} % certain`;
    if (certainty < LEAST_CERTAIN)
      return `No place stands out (${sure}): the lines may be of another size, or of another picture.`;
    if (inPlace) return `Its lines lie on the edges, to a pixel (${sure}).`;
    return `Its lines fit the edges best at ${x} px right, ${y} px down, ${sure}.`;
  },
  isPlaced(row) { return this.place?.row === row.id; },
  get canPlace() { return (this.place?.certainty ?? 0) >= LEAST_CERTAIN && !this.place.inPlace; },
  acceptPlace(row) {
    const { x, y } = this.place;
    this.place = null;
    settings.change(row, { x, y });
  },

  // ---- The rest ----
  operatorOf(row) { return page.operators.find(({ key }) => key === row.operator); },
  operatorHint(row) {
    const { title, formula, safe, aboveOne } = this.operatorOf(row);
    return `${title}: ${formula}.${safe ? "" : ` Light above 1: ${aboveOne}.`}`;
  },
  canDisplay(row) { return this.operatorOf(row).display; },
  isUnsafe(row) { return !this.operatorOf(row).safe; },
  reset(row) { settings.change(row, { amount: 1, ...page.trims }); },
});
