// The sections of the plan, one of them open, and what each says on its chip.
import { reactive } from "../reactive.js";

const SECTIONS = ["sheet", "shot", "lights", "quality", "mist", "extras", "packing", "names", "presets"];

/**
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./applied.js").Applied} uses.applied
 * @param {(section: string) => void} uses.onShow
 */
export const createSections = ({ editor, applied, onShow }) => {
  const wanted = () => location.hash.slice(1);

  const sections = reactive({
    current: SECTIONS.includes(wanted()) ? wanted() : "sheet",

    show(section) {
      if (!SECTIONS.includes(section)) return;
      if (section !== this.current && section !== location.hash.slice(1)) history.pushState(null, "", `#${section}`);
      this.current = section;
      onShow(section);
    },
    is(section) { return this.current === section; },
    get sheetText() { return `${editor.plan.layers.length} × ${Math.max(1, editor.plan.cameras.length)}`; },
    get shotText() { return `${editor.answer.frames} fr, ${editor.answer.size.join(" × ")}`; },
    get lightsText() {
      const rendered = editor.answer.lightGroups.filter((group) => group.rendered).length;
      return `${rendered} of ${editor.answer.lightGroups.length} groups`;
    },
    get qualityText() { return `${editor.plan.quality.samples} samples`; },
    get mistText() {
      const mist = editor.plan.mist ?? editor.scene.mist;
      return mist ? `${short(mist.near)} – ${short(mist.far)}` : "none";
    },
    get extrasText() { return `${editor.plan.deep.most_samples} deep, ${editor.plan.cryptomatte.levels} levels`; },
    get packingText() {
      return { "one-file": "one file", "each-pass": "file for each", "colour-and-data": "two files", parts: "parts" }[
        editor.plan.packing.rule
      ];
    },
    get namesText() { return editor.answer.files[0]?.[0].split("/").at(-1) ?? "no file yet"; },
    get presetsText() {
      if (!editor.plan.applied) return "none applied";
      return applied.differences.length ? `${applied.differences.length} changed` : "as applied";
    },
  });
  window.addEventListener("hashchange", () => sections.show(wanted() || "sheet")); // Back, too
  return sections;
};

const short = (number) => String(Number(number.toFixed(2)));
