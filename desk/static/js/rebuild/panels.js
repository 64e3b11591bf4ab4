// Which panel stands in place of the rows: the mattes or the dimmers. Either makes room for the other.
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createPanels>} Panels */

/** @param {(name: string) => void} onClose */
export const createPanels = (onClose) => reactive({
  name: "",

  is(name) { return this.name === name; },
  show(name) {
    const before = this.name;
    this.name = name;
    if (before && before !== name) onClose(before);
  },
  // Whether it is open now.
  toggle(name) {
    this.show(this.is(name) ? "" : name);
    return this.is(name);
  },
});
