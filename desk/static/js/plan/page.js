// All components of the Plan page.
import "../num-field.js";

export { default as plan } from "./plan.js";
export { default as planMist } from "./mist.js";
export { default as planNames } from "./names.js";
export { default as planPresets } from "./presets.js";
export { default as planSheet } from "./sheet.js";
export { default as planTree } from "./tree.js";
