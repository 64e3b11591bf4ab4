// The presets of a production: what each sets, and keeping, renaming, duplicating and deleting them.
import { post } from "../api.js";
import { reactive } from "../reactive.js";
import { fieldOf, fieldTitle } from "./fields.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./applied.js").Applied} uses.applied
 * @param {import("./exchange.js").Exchange} uses.exchange
 */
export const createPresets = (page, { editor, applied, exchange }) => {
  const { urls } = page;

  return reactive({
    opened: "",
    newName: "",

    open(preset) { this.opened = this.opened === preset.name ? "" : preset.name; },
    isOpened(preset) { return this.opened === preset.name; },
    settingsOf(preset) {
      return Object.entries(preset.own).map(([field, value]) => ({
        field,
        title: fieldTitle(field),
        text: spoken(value),
      }));
    },
    originText(preset) {
      return [preset.shipped ? "shipped" : "own", preset.base ? `builds on ${preset.base}` : ""]
        .filter(Boolean)
        .join(", ");
    },
    differenceText(difference) {
      const preset = fieldOf(editor.plan.applied.settings, difference.field) ?? difference.preset;
      if (!Array.isArray(difference.plan)) return `${spoken(difference.plan)} here, ${spoken(preset)} in the preset`;
      const more = difference.plan.filter((item) => !difference.preset.includes(item));
      const less = difference.preset.filter((item) => !difference.plan.includes(item));
      return [
        more.length ? `with ${more.join(", ")}` : "",
        less.length ? `without ${less.join(", ")}` : "",
        more.length + less.length ? "" : "in another order",
      ]
        .filter(Boolean)
        .join("; ");
    },
    exportPreset(preset) { return `${urls.preset}?name=${encodeURIComponent(preset.name)}`; },

    keep(event) {
      const form = new FormData(event.target);
      const wanted = {
        action: "keep",
        plan: editor.plan,
        new: form.get("name"),
        purpose: form.get("purpose"),
        base: form.get("base"),
      };
      this.library(wanted, () => event.target.reset());
    },
    again(preset) {
      this.library({ action: "keep", plan: editor.plan, new: preset.name, purpose: preset.purpose, base: preset.base });
    },
    rename(preset) {
      this.library({ action: "rename", name: preset.name, new: this.newName }, () => (this.newName = ""));
    },
    duplicate(preset) {
      this.library(
        { action: "duplicate", name: preset.name, new: this.newName || `${preset.name} copy` },
        () => (this.newName = ""),
      );
    },
    remove(preset) { this.library({ action: "delete", name: preset.name }); },
    async bringInPreset(event) {
      const preset = await exchange.readJson(event);
      if (preset) this.library({ action: "bring-in", preset });
    },
    library(wanted, done = () => {}) {
      return editor.attempt(async () => {
        applied.all = (await (await post(urls.presets, wanted)).json()).presets;
        await editor.refresh();
        done();
      });
    },
  });
};

function spoken(value) {
  if (Array.isArray(value)) return value.join(", ") || "none";
  if (value && typeof value === "object") return Object.values(value).join(", ");
  return { true: "yes", false: "no" }[String(value)] ?? String(value);
}
