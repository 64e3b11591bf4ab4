// Notes of the review that no version answers yet, beside the rows that would.
import { get, pageData } from "../api.js";

export const notesBeside = () => ({
  notes: [],

  async init() {
    try {
      const { notes } = await (await get(pageData().urls.notes)).json();
      this.notes = notes.filter(({ open }) => open);
    } catch {
      this.notes = []; // the ledger does not need them
    }
  },
  frameUrl({ frame }) { return `?frame=${frame}`; },
});
