// The rows of the ledger: how they read, and how they are changed, moved, added and removed.
import { post } from "../api.js";
import * as change from "./changes.js";

export const rows = (page, held) => ({
  sources: page.sources,
  starts: page.starts,
  operators: page.operators,
  opened: page.row,
  contributions: { rows: [], strip: "", width: 0, height: 0 },
  dragged: "",
  before: "",

  get rows() { return this.ledger.rows; },
  get startText() { return this.ledger.alpha ? `start: black, alpha of ${this.titleOf({ source: this.ledger.alpha })}` : "start: black, transparent"; },
  sourceOf(row) { return this.sources.find((source) => source.key === row.source); },
  titleOf(row) { return this.sourceOf(row)?.title ?? row.source; },
  // A ledger onto the denoised beauty says so at its start; only what differs from that is told in its rows.
  rowTitle(row) {
    const source = this.sourceOf(row);
    const beauty = this.sourceOf({ source: this.ledger.beauty });
    return source?.denoised && beauty?.denoised ? source.passTitle : this.titleOf(row);
  },
  sourceHint(row) { return this.sourceOf(row)?.meaning ?? "This source is not in the files of this frame."; },
  shareOf(row) { return this.contributions.rows.find((entry) => entry.id === row.id)?.share ?? 0; },
  shareText(row) { return Math.abs(this.shareOf(row)) < 10 ? `${(this.shareOf(row) * 100).toFixed(0)}%` : ">999%"; },
  shareStyle(row) { return { width: `${Math.min(100, Math.abs(this.shareOf(row)) * 100)}%` }; },
  shareClass(row) { return this.shareOf(row) < 0 ? "less" : ""; },
  shareHint(row) { return `${this.titleOf(row)} makes ${(this.shareOf(row) * 100).toFixed(2)} % of the picture's light`; },
  thumbnail(row) {
    const at = this.contributions.rows.findIndex((entry) => entry.id === row.id);
    if (at < 0) return {};
    const high = `${this.contributions.rows.length * 100}%`;
    const place = this.contributions.rows.length > 1 ? `${(at / (this.contributions.rows.length - 1)) * 100}%` : "0";
    return { backgroundImage: `url(${this.contributions.strip})`, backgroundSize: `100% ${high}`, backgroundPosition: `0 ${place}` };
  },
  rowClass(row) { return { open: this.isOpen(row), off: !row.on, before: this.before === row.id }; },
  operatorText(operator) { return operator.sign === operator.key ? operator.key : `${operator.sign}`; },
  tintColour(row) {
    const peak = Math.max(1, ...row.tint);
    return "#" + row.tint.map((value) => Math.round((value / peak) * 255).toString(16).padStart(2, "0")).join("");
  },
  gripLabel(row) { return `Move ${this.titleOf(row)}: Alt with up or down`; },
  onLabel(row) { return `${this.titleOf(row)} on`; },
  runningLabel(row) { return `Show the sum down to ${this.titleOf(row)}`; },
  operatorLabel(row) { return `Operator of ${this.titleOf(row)}`; },
  amountLabel(row) { return `Amount of ${this.titleOf(row)}`; },
  foldLabel(row) { return `Trims of ${this.titleOf(row)}`; },
  foldIcon(row) { return this.isOpen(row) ? "bi-chevron-up" : "bi-chevron-down"; },
  isOpen(row) { return this.opened === row.id; },
  fold(row) {
    this.opened = this.isOpen(row) ? "" : row.id;
    this.nameAddress();
  },

  // ---- Changes ----
  set(row, field, value) { this.commit(change.withRow(held.kept.current, row.id, { [field]: value }), row.id); },
  slide(row, field, value) { this.preview(change.withRow(held.kept.current, row.id, { [field]: value }), row.id); },
  tinted(row, channel, value) { return row.tint.map((old, index) => (index === channel ? value : old)); },
  setTint(row, channel, value) { this.set(row, "tint", this.tinted(row, channel, value)); },
  slideTint(row, channel, value) { this.slide(row, "tint", this.tinted(row, channel, value)); },
  coloured(hex) { return [1, 3, 5].map((at) => Number((parseInt(hex.slice(at, at + 2), 16) / 255).toFixed(4))); },
  setColour(row, hex) { this.set(row, "tint", this.coloured(hex)); },
  slideColour(row, hex) { this.slide(row, "tint", this.coloured(hex)); },
  resetRow(row) { this.commit(change.withReset(held.kept.current, row.id), row.id); },
  duplicate(row) { this.commit(change.withCopy(held.kept.current, row.id)); },
  remove(row) { this.commit(change.without(held.kept.current, row.id)); },
  addRow(event) {
    const source = this.sources.find((source) => source.key === event.target.value);
    event.target.value = "";
    if (source) this.commit(change.withNew(held.kept.current, source));
  },
  async startAgain(event) {
    const start = page.starts[event.target.value];
    event.target.value = "";
    if (!start) return;
    await this.guarded(async () => {
      const answer = await post(page.urls.first, { ledgerId: page.ledgerId, frame: this.frame, ...start });
      this.commit((await answer.json()).ledger);
    });
  },
  canFollow(suggestion) { return suggestion.action !== "note"; },
  follow(suggestion) {
    if (suggestion.action === "insert") {
      const source = this.sources.find((source) => source.key === suggestion.key);
      this.commit(change.withNew(held.kept.current, source));
    } else if (suggestion.action === "remove") {
      this.commit(change.without(held.kept.current, suggestion.key));
    } else {
      this.commit(change.withRow(held.kept.current, suggestion.key, { operator: suggestion.action }));
    }
  },

  // ---- Reordering ----
  dragStart(row, event) {
    this.dragged = row.id;
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", row.id);
  },
  dragOver(row) { this.before = this.dragged ? row.id : ""; },
  drop(row) {
    if (this.dragged) this.commit(change.moved(held.kept.current, this.dragged, this.place(row)));
    this.dragEnd();
  },
  dragEnd() { this.dragged = this.before = ""; },
  place(row) { return this.rows.findIndex((other) => other.id === row.id); },
  gripKey(row, event) {
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!by || !event.altKey || !this.mayChange) return;
    event.preventDefault();
    const next = change.moved(held.kept.current, row.id, this.place(row) + by);
    if (next !== held.kept.current) this.commit(next);
    this.$nextTick(() => this.$root.querySelector(`[data-row="${CSS.escape(row.id)}"] .grip`).focus());
  },
});
