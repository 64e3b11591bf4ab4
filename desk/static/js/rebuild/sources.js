// What a ledger can take its rows from: the passes and layers of the files of this frame.
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createSources>} Sources */

/** @param {any} page */
export const createSources = (page) => reactive({
  all: page.sources,

  of(row) { return this.all.find((source) => source.key === row.source); },
  titleOf(row) {
    const { by, words, otherwise } = page.kinds.rows[row.kind ?? "pass"].label;
    return (by && (words[row[by]] ?? row[by])) || otherwise || (this.of(row)?.title ?? row.source);
  },
  get hasElements() { return new Set(this.all.map(({ element }) => element)).size > 1; },
  get covering() { return this.all.filter(({ covers }) => covers); },
});
