// Deliveries kept under a name for all shots of the production, and documents as files.
import { post } from "../api.js";

export const presets = (page) => ({
  presets: page.presets,
  presetName: "",
  keepingPreset: false,

  get presetGroups() {
    return [
      ["of this production", true],
      ["to begin with", false],
    ]
      .map(([name, own]) => ({ name, items: this.presets.filter((preset) => preset.own === own) }))
      .filter(({ items }) => items.length);
  },
  get ownPresets() { return this.presets.filter(({ own }) => own); },
  presetChosen(event) {
    const chosen = event.target.value;
    event.target.value = "";
    if (chosen.startsWith("remove ")) this.removePreset(Number(chosen.slice(7)));
    else if (chosen) this.begin(this.presets.find(({ id }) => id === chosen));
  },
  // Behind the items that are there.
  begin(preset) {
    const fresh = JSON.parse(JSON.stringify(preset.items));
    for (const item of fresh) item.id = this.free(item.id);
    this.document.items = [...this.list, ...fresh];
    this.changed();
  },
  askPreset() {
    this.keepingPreset = !this.keepingPreset;
    if (this.keepingPreset) this.$nextTick(() => this.$refs.presetName.focus());
  },
  async keepPreset() {
    await this.guarded(async () => {
      this.presets = (await (await post(page.urls.preset, { ...this.asked, name: this.presetName })).json()).presets;
      this.presetName = "";
      this.keepingPreset = false;
    });
  },
  async removePreset(id) {
    await this.guarded(
      async () => (this.presets = (await (await post(page.urls.preset, { remove: id })).json()).presets),
    );
  },
});
