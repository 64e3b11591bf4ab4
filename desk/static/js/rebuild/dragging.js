// Rows moved: dragged before another or into a group, or by the keys of their grip.
import { nextTick, reactive } from "../reactive.js";
import * as tree from "./tree.js";

const EDGE = 0.5; // of a group's height, from above: higher means before it, lower into it

/** @typedef {ReturnType<typeof createDragging>} Dragging */

/**
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createDragging = ({ editor }) => reactive({
  dragged: "",
  before: "",
  into: "",

  start(row, event) {
    this.dragged = row.id;
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", row.id);
  },
  over(row, event) {
    if (!this.dragged) return;
    const box = event.currentTarget.getBoundingClientRect();
    const lower = (event.clientY - box.top) / box.height > EDGE;
    [this.before, this.into] = row.rows && lower ? ["", row.id] : [row.id, ""];
  },
  drop() {
    if (this.dragged)
      this.commit(tree.moved(editor.current(), this.dragged, { before: this.before, group: this.into }));
    this.end();
  },
  dropLast() {
    if (this.dragged) this.commit(tree.moved(editor.current(), this.dragged, {}));
    this.end();
  },
  end() { this.dragged = this.before = this.into = ""; },
  commit(next) {
    if (next !== editor.current()) editor.commit(next);
  },
  gripKey(row, event) {
    if (!event.altKey || !editor.mayChange) return;
    const ledger = editor.current();
    const next = {
      ArrowUp: () => tree.shifted(ledger, row.id, -1),
      ArrowDown: () => tree.shifted(ledger, row.id, 1),
      ArrowRight: () => tree.indented(ledger, row.id, true),
      ArrowLeft: () => tree.indented(ledger, row.id, false),
    }[event.key]?.();
    if (!next) return;
    event.preventDefault();
    this.commit(next);
    nextTick(() =>
      /** @type {HTMLElement} */ (document.querySelector(`[data-row="${CSS.escape(row.id)}"] .grip`))?.focus(),
    );
  },
});
