// Formats, pixels and compressions of the files.
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createPacking>} Packing */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createPacking = (page, { editor }) => reactive({
  formats: page.formats,

  formatOf(use) { return this.formats.find((format) => format.key === editor.plan.packing[use].format); },
  setFormat(use, { target: { value } }) {
    const form = this.formats.find((format) => format.key === value);
    const storage = editor.plan.packing[use];
    const pixel = form.pixels.some((known) => known.key === storage.pixel) ? storage.pixel : form.pixels.at(-1).key;
    const same = form.compressions.some((known) => known.key === storage.compression);
    editor.put(`packing.${use}`, {
      format: value,
      pixel,
      compression: same ? storage.compression : form.compressions[0].key,
    });
  },
  setStorage(use, leaf, { target: { value } }) {
    editor.change((plan) => ({ [`packing.${use}`]: { ...plan.packing[use], [leaf]: value } }));
  },
  storageIs(use, leaf, value) { return editor.plan.packing[use][leaf] === value; },
  compressionText(use) {
    return (
      this.formatOf(use).compressions.find((known) => known.key === editor.plan.packing[use].compression)?.meaning ?? ""
    );
  },
});
