// The preset that the plan was made from, and what differs from it.
import { reactive } from "../reactive.js";
import { fieldTitle } from "./fields.js";

/** @typedef {ReturnType<typeof createApplied>} Applied */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createApplied = (page, { editor }) => reactive({
  all: page.presets,

  get differences() { return editor.answer.differences; },
  get changedText() {
    if (!editor.plan.applied) return "";
    const state = this.differences.length ? "changed since" : "as in";
    const moved = editor.answer.movedOn ? ", which has moved on since" : "";
    return `${state} the preset “${editor.plan.applied.name}”${moved}`;
  },
  differenceTitle(difference) { return fieldTitle(difference.field); },
  putBack(difference) { editor.put(difference.field, editor.plan.applied.settings[difference.field]); },
  putAllBack() { editor.change((plan) => plan.applied.settings); },
  apply(name) {
    const preset = this.all.find((each) => each.name === name);
    if (preset) editor.change(() => preset.fields);
  },
  applyChosen({ target }) {
    this.apply(target.value);
    target.value = "";
  },
  text(preset) { return `${preset.name}: ${preset.purpose}`; },
});
