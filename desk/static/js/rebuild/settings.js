// What a row, a part of a matte or a step of the finish can be set to. Python describes every setting of every kind
// (prism/fields.py); this reads it. A part and a step say in `at` where they stand, which tells them apart.
import { reactive } from "../reactive.js";
import { withStep } from "../finish/chain.js";
import { withPart } from "./matte-tree.js";
import { at } from "./time.js";
import { withRow } from "./tree.js";

// Which sources a setting offers, by the name of its list.
export const LISTED = {
  pictures: ({ data }) => !data,
  depths: ({ isDepth }) => isDepth,
  depths_or_deep: ({ isDepth, isDeep }) => isDepth || isDeep,
  motions: ({ isMotion }) => isMotion,
};
const MOST_DISTANCE = 20; // scene units from which a drag goes faster

/** @typedef {ReturnType<typeof createSettings>} Settings */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {(target: any, field: string, value: string) => void} uses.choose one of a list is chosen
 */
export const createSettings = (page, { editor, sources, frames, choose }) => reactive({
  kindOf(target) { return page.kinds[target.at?.step ? "steps" : target.at ? "parts" : "rows"][target.kind]; },
  settingsOf(target, takes) {
    return this.kindOf(target).settings.filter(
      (setting) => takes.includes(setting.takes) && this.isOffered(target, setting),
    );
  },
  settingOf(target, field) { return this.kindOf(target).settings.find((setting) => setting.field === field); },
  isOffered(target, { when, needsAlpha }) {
    if (needsAlpha && !sources.of(target)?.alpha) return false;
    return !when || when[1].includes(target[when[0]]);
  },
  neutralOf(target, { field }, part) {
    const neutral = this.kindOf(target).blank[field];
    return Array.isArray(neutral) ? neutral[part] : neutral;
  },

  measures(target) { return Boolean(this.kindOf(target).measures); },

  // ---- Lists for the page ----
  ticksOf(target) { return this.settingsOf(target, ["tick"]); },
  numbersOf(target) {
    return this.settingsOf(target, ["number"]).map((number) => ({ ...number, step: this.stepOf(target, number) }));
  },
  // Depth is in units of the scene: what is far is dragged faster.
  stepOf(target, { field, step }) {
    return (field === "near" || field === "far") &&
      target.through !== "mist" &&
      Math.abs(at(target.far, frames.current)) > MOST_DISTANCE
      ? step * 10
      : step;
  },
  choicesOf(target) {
    const listed = ({ lists, optional }) => [
      ...(optional ? [{ value: "", text: "none" }] : []),
      ...sources.all.filter(LISTED[lists]).map(({ key, title }) => ({ value: key, text: title })),
    ];
    return this.settingsOf(target, ["choice", "source"]).map((choice) => ({
      ...choice,
      options: choice.words?.map((word) => ({ value: word, text: word })) ?? listed(choice),
    }));
  },
  notesOf(target) {
    return this.settingsOf(target, ["choice"])
      .map(({ field, notes }) => notes[target[field]])
      .filter(Boolean);
  },

  // ---- Changes ----
  changed(target, changes) {
    const current = editor.current();
    if (target.at?.step) return withStep(current, target.at.step, changes);
    return target.at ? withPart(current, target.at, changes) : withRow(current, target.id, changes);
  },
  change(target, changes) { editor.commit(this.changed(target, changes)); },
  slide(target, changes) { editor.preview(this.changed(target, changes), target.id); },
  choose(target, field, value) { choose(target, field, value); },
  set(target, field, value) { this.change(target, { [field]: value }); },
});
