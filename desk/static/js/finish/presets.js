// Chains kept under a name for all shots of the production, and finishes as files.
import { post } from "../api.js";
import { byRef, nextTick, reactive } from "../reactive.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {import("./steps.js").Steps} uses.steps
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createPresets = (page, { editor, steps, notices }) => reactive({
  all: page.presets,
  name: "",
  naming: false,

  get groups() {
    return [
      ["of this production", true],
      ["to begin with", false],
    ]
      .map(([name, own]) => ({ name, items: this.all.filter((preset) => preset.own === own) }))
      .filter(({ items }) => items.length);
  },
  layChosen(event) {
    const chosen = event.target.value;
    event.target.value = "";
    if (chosen === "file") byRef("finishFile").click();
    else if (chosen.startsWith("remove ")) this.remove(Number(chosen.slice(7)));
    else if (chosen) this.lay({ preset: chosen });
  },
  async layFile(event) {
    const [file] = event.target.files;
    event.target.value = "";
    if (file) await this.lay({ text: await file.text() });
  },
  // Behind the steps that are there; undo takes it away again.
  async lay(what) {
    await notices.guarded(async () => {
      const answer = await (await post(page.urls.lay, { ...editor.question(), keep: true, ...what })).json();
      editor.commit(answer.ledger);
      notices.remark = answer.remark;
    });
  },
  ask() {
    this.naming = !this.naming;
    if (this.naming) nextTick(() => byRef("presetName").focus());
  },
  // The step that is open, or all of them.
  get text() {
    const what = steps.opened ? `“${steps.nameOf(steps.opened)}”` : "All steps";
    return `${what}, under a name, for all shots of the production`;
  },
  async keep() {
    await notices.guarded(async () => {
      const chosen = steps.opened ? [steps.opened.id] : [];
      const answer = await post(page.urls.preset, {
        ...editor.question(),
        ledger: editor.current(),
        name: this.name,
        steps: chosen,
      });
      this.all = (await answer.json()).presets;
      notices.remark = `Saved as “${this.name.trim()}” for all shots of this production.`;
      this.name = "";
      this.naming = false;
    });
  },
  async remove(id) {
    await notices.guarded(
      async () => (this.all = (await (await post(page.urls.preset, { remove: id })).json()).presets),
    );
  },
  async saveFinish() {
    await notices.guarded(async () => {
      const text = JSON.stringify(await (await post(page.urls.export, { ledger: editor.current() })).json(), null, 2);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
      link.download = `${page.shot}_finish.json`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 1000);
    });
  },
});
