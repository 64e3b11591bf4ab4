// A ledger of another shot, or of a file, laid on this one: what was not found is settled before it is taken.
import { post } from "../api.js";
import { byRef, nextTick, reactive } from "../reactive.js";
import * as tree from "./tree.js";

/** @typedef {ReturnType<typeof createTemplates>} Templates */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createTemplates = (page, { editor, frames, notices }) => reactive({
  starts: page.starts,
  all: page.templates,
  laid: null, // the ledger as it would be, with what is missing and left over

  get hasTemplates() { return this.all.length > 0; },
  async startAgain(event) {
    const chosen = event.target.value;
    event.target.value = "";
    if (chosen === "file") {
      byRef("ledgerFile").click();
      return;
    }
    if (chosen.startsWith("ledger ")) {
      await this.lay({ template: Number(chosen.slice(7)) });
      return;
    }
    const start = page.starts[chosen];
    if (!start) return;
    editor.askToReplace(`Start again from ${start.title}?`, async () => {
      const answer = await post(page.urls.first, { ledgerId: page.ledgerId, frame: frames.current, ...start });
      editor.commit((await answer.json()).ledger);
    });
  },
  // from: { template }, the number of another shot's ledger, or { text } of a file.
  async lay(from, chosen = {}) {
    await notices.guarded(async () => {
      const { ledgerId } = page;
      const answer = await (
        await post(page.urls.template, { ledgerId, ...from, frame: frames.current, chosen })
      ).json();
      this.laid = { ...answer, from, chosen };
      nextTick(() => byRef("laid")?.scrollIntoView({ block: "nearest" }));
    });
  },
  async layFile(event) {
    const [file] = event.target.files;
    event.target.value = "";
    if (file) await this.lay({ text: await file.text() });
  },
  // As a file that lays on another shot, or goes to `python -m prism rebuild`.
  async saveFile() {
    await notices.guarded(async () => {
      const answer = await (await post(page.urls.export, editor.question())).json();
      this.download(JSON.stringify(answer, null, 2));
    });
  },
  download(text) {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
    link.download = `${page.shot}_${editor.document.name}.json`;
    link.click();
    URL.revokeObjectURL(link.href);
  },
  get missing() { return this.laid?.missing ?? []; },
  get laidText() {
    if (!this.laid) return "";
    const rows = [...tree.walk(this.laid.ledger.rows)].length;
    const lost = this.missing.length ? `${this.missing.length} not found here` : "every pass found";
    const left = this.laid.leftOver.length ? ` Light that no row takes: ${this.laid.leftOver.join("; ")}.` : "";
    return `${rows} rows, ${lost}.${left} The ledger as it is now is kept as a version.`;
  },
  missingText({ row, source }) { return `${row} asks for ${source.split("/").at(-1)}`; },
  chooseFor({ source }, key) {
    if (key) this.lay(this.laid.from, { ...this.laid.chosen, [source]: key });
  },
  // Rows that ask for what is not here are left out; nothing else is.
  async use() {
    await notices.guarded(async () => {
      const lost = new Set(this.missing.map(({ row }) => row));
      const rows = [...lost].reduce((ledger, id) => tree.without(ledger, id), this.laid.ledger);
      if (!(await editor.keptBefore("another ledger was laid on this shot"))) return;
      this.laid = null;
      editor.commit(rows);
    });
  },
  get canUse() { return !this.missing.some(({ row }) => row === "start"); },
  get useText() { return this.missing.length ? `Use it without ${this.missing.length} of them` : "Use it"; },
  drop() { this.laid = null; },
});
