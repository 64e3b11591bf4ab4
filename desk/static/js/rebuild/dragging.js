// Rows moved: dragged before another or into a group, or by the keys of their grip.
import * as tree from "./tree.js";

const EDGE = 0.5; // of a group's height, from above: higher means before it, lower into it

export const dragging = (shared) => ({
  dragged: "",
  before: "",
  into: "",

  gripLabel(row) { return `Move ${this.rowTitle(row)}: Alt with the arrow keys`; },
  dragStart(row, event) {
    this.dragged = row.id;
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", row.id);
  },
  dragOver(row, event) {
    if (!this.dragged) return;
    const box = event.currentTarget.getBoundingClientRect();
    const lower = (event.clientY - box.top) / box.height > EDGE;
    [this.before, this.into] = row.rows && lower ? ["", row.id] : [row.id, ""];
  },
  drop() {
    if (this.dragged) this.commitMoved(tree.moved(shared.ledgers.current, this.dragged, { before: this.before, group: this.into }));
    this.dragEnd();
  },
  dropLast() {
    if (this.dragged) this.commitMoved(tree.moved(shared.ledgers.current, this.dragged, {}));
    this.dragEnd();
  },
  dragEnd() { this.dragged = this.before = this.into = ""; },
  commitMoved(next) {
    if (next !== shared.ledgers.current) this.commit(next);
  },
  gripKey(row, event) {
    if (!event.altKey || !this.mayChange) return;
    const ledger = shared.ledgers.current;
    const next = {
      ArrowUp: () => tree.shifted(ledger, row.id, -1),
      ArrowDown: () => tree.shifted(ledger, row.id, 1),
      ArrowRight: () => tree.indented(ledger, row.id, true),
      ArrowLeft: () => tree.indented(ledger, row.id, false),
    }[event.key]?.();
    if (!next) return;
    event.preventDefault();
    this.commitMoved(next);
    this.$nextTick(() => document.querySelector(`[data-row="${CSS.escape(row.id)}"] .grip`)?.focus());
  },
});
