// The presets of a production: what each sets, and keeping, renaming, duplicating and deleting them.
import { pageData, post } from "../api.js";
import { fieldOf, fieldTitle } from "./fields.js";

export default () => {
  const { urls } = pageData();
  return {
    opened: "",
    newName: "",

    open(one) { this.opened = this.opened === one.name ? "" : one.name; },
    isOpened(one) { return this.opened === one.name; },
    settingsOf(one) { return Object.entries(one.own).map(([field, value]) => ({ field, title: fieldTitle(field), text: spoken(value) })); },
    originText(one) { return [one.shipped ? "shipped" : "own", one.base ? `builds on ${one.base}` : ""].filter(Boolean).join(", "); },
    differenceText(one) {
      const preset = fieldOf(this.plan.applied.settings, one.field) ?? one.preset;
      if (!Array.isArray(one.plan)) return `${spoken(one.plan)} here, ${spoken(preset)} in the preset`;
      const more = one.plan.filter((item) => !one.preset.includes(item));
      const less = one.preset.filter((item) => !one.plan.includes(item));
      return [more.length ? `with ${more.join(", ")}` : "", less.length ? `without ${less.join(", ")}` : "", more.length + less.length ? "" : "in another order"].filter(Boolean).join("; ");
    },
    exportPreset(one) { return `${urls.preset}?name=${encodeURIComponent(one.name)}`; },

    keep(event) {
      const form = new FormData(event.target);
      const wanted = { action: "keep", plan: this.plan, new: form.get("name"), purpose: form.get("purpose"), base: form.get("base") };
      this.library(wanted, () => event.target.reset());
    },
    again(one) { this.library({ action: "keep", plan: this.plan, new: one.name, purpose: one.purpose, base: one.base }); },
    rename(one) { this.library({ action: "rename", name: one.name, new: this.newName }, () => (this.newName = "")); },
    duplicate(one) { this.library({ action: "duplicate", name: one.name, new: this.newName || `${one.name} copy` }, () => (this.newName = "")); },
    remove(one) { this.library({ action: "delete", name: one.name }); },
    async bringInPreset(event) {
      const preset = await this.readJson(event);
      if (preset) this.library({ action: "bring-in", preset });
    },
    library(wanted, done = () => {}) {
      return this.attempt(async () => {
        this.presets = (await (await post(urls.presets, wanted)).json()).presets;
        await this.refresh();
        done();
      });
    },
  };
};

function spoken(value) {
  if (Array.isArray(value)) return value.join(", ") || "none";
  if (value && typeof value === "object") return Object.values(value).join(", ");
  return { true: "yes", false: "no" }[String(value)] ?? String(value);
}
