// The group as it is changed here, undone and redone, and put into the ledger when asked.
import { post } from "../api.js";
import { History } from "../history.js";
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createEditor>} Editor */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {() => object} uses.asked all that says what is shown
 * @param {() => void} uses.onSlide a number slides
 * @param {() => void} uses.onChange the document is another one
 */
export const createEditor = (page, { notices, asked, onSlide, onChange }) => {
  const history = new History(page.ledger);
  let sliding = null;

  return reactive({
    row: history.current.rows[0], // the group, as it is shown
    inLedger: page.inLedger,
    isPut: page.inLedger, // the ledger has it as it is here
    mayChange: page.mayChange,

    current() { return history.current; },
    shown() { return sliding ?? history.current; },
    preview(document) {
      sliding = document;
      this.row = document.rows[0];
      onSlide();
    },
    commit(document) {
      sliding = null;
      history.change(document);
      this.settled();
    },
    settled() {
      this.row = history.current.rows[0];
      this.isPut = false;
      onChange();
    },
    get canUndo() { return this.row && history.past.length > 0; },
    get canRedo() { return this.row && history.future.length > 0; },
    undo() {
      history.undo();
      this.settled();
    },
    redo() {
      history.redo();
      this.settled();
    },
    get putText() {
      return this.isPut ? "In the ledger" : this.inLedger ? "Update the ledger" : "Put into the ledger";
    },
    async put() {
      await notices.guarded(async () => {
        await post(page.urls.put, { ...asked(), ledger: history.current });
        this.inLedger = this.isPut = true;
        notices.remark = `Row ${this.row.name || page.row} of the ledger “${page.ledgerName}” is as it is here.`;
      });
    },
    warn(event) {
      if (!this.isPut && history.past.length) event.preventDefault();
    },
  });
};
