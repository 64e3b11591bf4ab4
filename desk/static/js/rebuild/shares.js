// What each row gives to the picture's light, in numbers and as a small picture.
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createShares>} Shares */

/** @param {import("./sources.js").Sources} sources */
export const createShares = (sources) => reactive({
  contributions: { rows: [], strip: "", width: 0, height: 0 },
  words: "", // what was done to the lights, as a lead says it

  of(row) { return this.contributions.rows.find((entry) => entry.id === row.id)?.share ?? 0; },
  text(row) { return Math.abs(this.of(row)) < 10 ? `${(this.of(row) * 100).toFixed(0)}%` : ">999%"; },
  style(row) { return { width: `${Math.min(100, Math.abs(this.of(row)) * 100)}%` }; },
  classOf(row) { return this.of(row) < 0 ? "less" : ""; },
  hint(row) { return `${sources.titleOf(row)} makes ${(this.of(row) * 100).toFixed(2)} % of the picture's light`; },
  thumbnail(row) {
    const found = this.contributions.rows.findIndex((entry) => entry.id === row.id);
    if (found < 0) return {};
    const high = `${this.contributions.rows.length * 100}%`;
    const place = this.contributions.rows.length > 1 ? `${(found / (this.contributions.rows.length - 1)) * 100}%` : "0";
    return {
      backgroundImage: `url(${this.contributions.strip})`,
      backgroundSize: `100% ${high}`,
      backgroundPosition: `0 ${place}`,
    };
  },
});
