// Light groups: which are rendered, and the labels of lights.
import { reactive } from "../reactive.js";
import { toggled } from "./fields.js";

/** @typedef {ReturnType<typeof createLights>} Lights */

/**
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createLights = ({ editor }) => reactive({
  labelOn(label) { return editor.plan.light_groups.labels.includes(label); },
  setLabel(label, { target: { checked } }) {
    editor.change((plan) => ({ "light_groups.labels": toggled(plan.light_groups.labels, label, checked) }));
  },
  get choosingLabels() { return editor.plan.light_groups.mode !== "all"; },
  labelOf(light) { return editor.plan.light_labels[light.name] ?? light.label; },
  relabelled(light) { return light.name in editor.plan.light_labels; },
  relabel(light, { target: { value } }) {
    editor.change(({ light_labels }) => {
      const { [light.name]: _, ...others } = light_labels;
      return { light_labels: value.trim() === light.label ? others : { ...others, [light.name]: value.trim() } };
    });
  },
});
