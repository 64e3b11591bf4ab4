// What a page has to say: what went wrong, and what was just done.
import { isSuperseded, ofFault } from "../api.js";
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createNotices>} Notices */

export const createNotices = () =>
  reactive({
    /** @type {import("../api.js").Fault | null} */
    fault: null,
    remark: "",

    /**
     * Does the work; a fault that it ends with is shown.
     * @param {() => any} work
     */
    async guarded(work) {
      try {
        await work();
      } catch (error) {
        if (!isSuperseded(error)) this.fault = ofFault(error);
      }
    },
    get what() { return this.fault?.what ?? ""; },
    get where() { return this.fault?.where ?? ""; },
    get advice() { return this.fault?.advice ?? ""; },
    get inFile() { return Boolean(this.fault?.file); },
  });
