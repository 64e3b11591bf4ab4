// Notes of the review that no version answers yet, beside the rows that would.
import { get, pageData } from "../api.js";

export const notesBeside = () => ({
  notes: [],
  more: 0, // further ones, which the review lists

  async init() {
    try {
      const { notes, open } = await (await get(`${pageData().urls.notes}?open`)).json();
      Object.assign(this, { notes, more: open - notes.length });
    } catch {
      this.notes = []; // the ledger does not need them
    }
  },
  frameUrl({ frame }) { return `?frame=${frame}`; },
});
