// Chains kept under a name for all shots of the production, and finishes as files.
import { post } from "../api.js";

export const presets = (page, shared) => ({
  presets: page.presets,
  presetName: "",
  keepingPreset: false,

  get presetGroups() {
    return [["of this production", true], ["to begin with", false]]
      .map(([name, own]) => ({ name, items: this.presets.filter((preset) => preset.own === own) })).filter(({ items }) => items.length);
  },
  layChosen(event) {
    const chosen = event.target.value;
    event.target.value = "";
    if (chosen === "file") this.$refs.finishFile.click();
    else if (chosen.startsWith("remove ")) this.removePreset(Number(chosen.slice(7)));
    else if (chosen) this.lay({ preset: chosen });
  },
  async layFile(event) {
    const [file] = event.target.files;
    event.target.value = "";
    if (file) await this.lay({ text: await file.text() });
  },
  // Behind the steps that are there; undo takes it away again.
  async lay(what) {
    await this.guarded(async () => {
      const answer = await (await post(page.urls.lay, { ...this.question, keep: true, ...what })).json();
      this.commit(answer.ledger);
      this.remark = answer.remark;
    });
  },
  askPreset() {
    this.keepingPreset = !this.keepingPreset;
    if (this.keepingPreset) this.$nextTick(() => this.$refs.presetName.focus());
  },
  // The step that is open, or all of them.
  get presetText() { return this.openedStep ? `Keep “${this.nameOf(this.openedStep)}”` : "Keep all steps"; },
  async keepPreset() {
    await this.guarded(async () => {
      const steps = this.openedStep ? [this.openedStep.id] : [];
      const answer = await post(page.urls.preset, { ...this.question, ledger: shared.ledgers.current, name: this.presetName, steps });
      this.presets = (await answer.json()).presets;
      this.remark = `Kept as “${this.presetName.trim()}” for all shots of this production.`;
      this.presetName = "";
      this.keepingPreset = false;
    });
  },
  async removePreset(id) {
    await this.guarded(async () => (this.presets = (await (await post(page.urls.preset, { remove: id })).json()).presets));
  },
  async saveFinish() {
    await this.guarded(async () => {
      const text = JSON.stringify(await (await post(page.urls.export, { ledger: shared.ledgers.current })).json(), null, 2);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
      link.download = `${page.shot}_finish.json`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 1000);
    });
  },
});
