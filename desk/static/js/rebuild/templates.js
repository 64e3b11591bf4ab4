// A ledger of another shot laid on this one: what was not found is settled before it is taken.
import { post } from "../api.js";
import * as tree from "./tree.js";

export const templates = (page) => ({
  templates: page.templates,
  laid: null, // the ledger as it would be, with what is missing and left over

  get hasTemplates() { return this.templates.length > 0; },
  async layTemplate(id, chosen = {}) {
    await this.guarded(async () => {
      const { ledgerId } = page;
      const answer = await (await post(page.urls.template, { ledgerId, template: id, frame: this.frame, chosen })).json();
      this.laid = { ...answer, id, chosen };
      this.$nextTick(() => this.$refs.laid?.scrollIntoView({ block: "nearest" }));
    });
  },
  get missing() { return this.laid?.missing ?? []; },
  get laidText() {
    if (!this.laid) return "";
    const rows = [...tree.walk(this.laid.ledger.rows)].length;
    const lost = this.missing.length ? `${this.missing.length} not found here` : "every pass found";
    const left = this.laid.leftOver.length ? ` Left over: ${this.laid.leftOver.join(", ")}.` : "";
    return `${rows} rows, ${lost}.${left}`;
  },
  missingText({ row, source }) { return `${row} asks for ${source.split("/").at(-1)}`; },
  chooseFor({ source }, key) {
    if (key) this.layTemplate(this.laid.id, { ...this.laid.chosen, [source]: key });
  },
  // Rows that ask for what is not here are left out; nothing else is.
  useLaid() {
    const lost = new Set(this.missing.map(({ row }) => row));
    const rows = [...lost].reduce((ledger, id) => tree.without(ledger, id), this.laid.ledger);
    this.laid = null;
    this.commit(rows);
  },
  get canUse() { return !this.missing.some(({ row }) => row === "start"); },
  get useText() { return this.missing.length ? `Use it without ${this.missing.length} of them` : "Use it"; },
  dropLaid() { this.laid = null; },
});
