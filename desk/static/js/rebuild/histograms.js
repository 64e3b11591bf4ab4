// Histograms of the opened row: of its colour, behind its curves, and of what it measures.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { reactive } from "../reactive.js";
import { find } from "./tree.js";

const CHANNELS = { red: [0], green: [1], blue: [2] };

/** @typedef {ReturnType<typeof createHistograms>} Histograms */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./settings.js").Settings} uses.settings
 * @param {() => string} uses.opened id of the row that is open
 */
export const createHistograms = (page, { editor, settings, opened }) => {
  const counting = new Newest((row) => histograms.fetch(row));

  const histograms = reactive({
    counted: {}, // { row, colour, measure }

    // Asked anew whenever the row is another one, or what comes before its curves.
    ask() {
      const row = find(editor.current(), opened()); // it may have been undone
      if (row) counting.ask(row);
      else this.counted = {};
    },
    async fetch(row) {
      try {
        const asked = { ...editor.question(), row: row.id };
        const colour = await (await post(page.urls.histogram, asked)).json();
        const measure = settings.measures(row)
          ? await (await post(page.urls.histogram, { ...asked, measure: true })).json()
          : null;
        this.counted = { row: row.id, colour, measure };
      } catch {
        this.counted = {}; // the picture says why
      }
    },

    // Of one curve, by its name.
    ofCurve(row, name) {
      const { colour } = this.counted.row === row.id ? this.counted : {};
      const chosen = CHANNELS[name];
      return colour
        ? { ...colour, counts: chosen ? chosen.map((index) => colour.counts[index]) : colour.counts }
        : null;
    },
    measureBins(row) { return JSON.stringify(this.counted.row === row.id ? this.counted.measure : null); },
  });
  return histograms;
};
