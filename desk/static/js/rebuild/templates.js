// A ledger of another shot, or of a file, laid on this one: what was not found is settled before it is taken.
import { post } from "../api.js";
import * as tree from "./tree.js";

export const templates = (page) => ({
  templates: page.templates,
  laid: null, // the ledger as it would be, with what is missing and left over

  get hasTemplates() { return this.templates.length > 0; },
  // from: { template }, the number of another shot's ledger, or { text } of a file.
  async layTemplate(from, chosen = {}) {
    await this.guarded(async () => {
      const { ledgerId } = page;
      const answer = await (await post(page.urls.template, { ledgerId, ...from, frame: this.frame, chosen })).json();
      this.laid = { ...answer, from, chosen };
      this.$nextTick(() => this.$refs.laid?.scrollIntoView({ block: "nearest" }));
    });
  },
  async layFile(event) {
    const [file] = event.target.files;
    event.target.value = "";
    if (file) await this.layTemplate({ text: await file.text() });
  },
  // As a file that lays on another shot, or goes to `python -m prism rebuild`.
  async saveFile() {
    await this.guarded(async () => {
      const answer = await (await post(page.urls.export, this.question)).json();
      this.download(JSON.stringify(answer, null, 2));
    });
  },
  download(text) {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
    link.download = `${page.shot}_${this.ledger.name}.json`;
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
    if (key) this.layTemplate(this.laid.from, { ...this.laid.chosen, [source]: key });
  },
  // Rows that ask for what is not here are left out; nothing else is.
  async useLaid() {
    await this.guarded(async () => {
      const lost = new Set(this.missing.map(({ row }) => row));
      const rows = [...lost].reduce((ledger, id) => tree.without(ledger, id), this.laid.ledger);
      if (!(await this.keptBefore("another ledger was laid on this shot"))) return;
      this.laid = null;
      this.commit(rows);
    });
  },
  get canUse() { return !this.missing.some(({ row }) => row === "start"); },
  get useText() { return this.missing.length ? `Use it without ${this.missing.length} of them` : "Use it"; },
  dropLaid() { this.laid = null; },
});
