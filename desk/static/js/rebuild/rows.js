// The rows of the ledger: how they read, and how they are added, grouped and removed.
import { post } from "../api.js";
import { nextTick, reactive } from "../reactive.js";
import * as tree from "./tree.js";
import { keysOf } from "./time.js";

const ROOMY = 12; // rows that have room in the window as they are

/** @typedef {ReturnType<typeof createRows>} Rows */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./dragging.js").Dragging} uses.dragging
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {() => void} uses.onOpen a row is opened or closed
 * @param {() => void} uses.onAdd a row is there that was not
 */
export const createRows = (page, { editor, sources, settings, dragging, notices, onOpen, onAdd }) => reactive({
  operators: page.operators,
  opened: page.row,

  // ---- How they read ----
  // Every row that is to be seen: what is in a folded group is not.
  get listed() {
    const folded = new Set();
    return [...tree.walk(editor.document.rows)].filter(({ row, group }) => {
      if (folded.has(group)) {
        folded.add(row.id);
        return false;
      }
      if (row.folded) folded.add(row.id);
      return true;
    });
  },
  // Many rows stand closer.
  get listClass() { return { dense: this.listed.length > ROOMY }; },
  get startText() {
    return editor.document.alpha
      ? `start: black, alpha of ${sources.titleOf({ source: editor.document.alpha })}`
      : "start: black, transparent";
  },
  lineStyle({ depth }) { return { paddingLeft: `${8 + depth * 12}px` }; },
  // A ledger onto the denoised beauty says so at its start; only what differs from that is told in its rows.
  titleOf(row) {
    if (row.kind !== "pass") return sources.titleOf(row);
    const source = sources.of(row);
    const beauty = sources.of({ source: editor.document.beauty });
    if (!source) return row.source;
    return source.denoised && !beauty?.denoised ? `${source.passTitle}, denoised` : source.passTitle;
  },
  hintOf(row) {
    const layer = row.alpha && sources.of({ source: row.alpha });
    const meaning = layer ? `The layer ${layer.elementName}, with its own alpha.` : this.meaningOf(row);
    return row.comment ? `${row.comment}\n${meaning}` : meaning;
  },
  meaningOf(row) {
    if (this.isGroup(row)) return settings.kindOf(row).meaning || `${row.rows.length} rows, summed by themselves.`;
    return (
      settings.kindOf(row).meaning || (sources.of(row)?.meaning ?? "This source is not in the files of this frame.")
    );
  },
  isGroup(row) { return Array.isArray(row.rows); },
  isTrimmed(row) {
    return (
      JSON.stringify(page.trims) !==
      JSON.stringify(Object.fromEntries(Object.keys(page.trims).map((name) => [name, row[name]])))
    );
  },
  gripLabel(row) { return `Move ${this.titleOf(row)}: Alt with the arrow keys`; },
  classOf({ row, depth }) {
    return {
      open: this.isOpen(row),
      off: !row.on,
      before: dragging.before === row.id,
      into: dragging.into === row.id,
      group: this.isGroup(row),
      inner: depth > 0,
    };
  },
  // Within the group of its own layer, which says so already.
  isOfLayer(row, source) {
    const { group } = tree.placeOf(editor.document, row.id);
    const alpha = group && tree.find(editor.document, group).alpha;
    return alpha && sources.of({ source: alpha })?.element === source.element;
  },
  signOf(row) { return page.operators.find(({ key }) => key === row.operator).sign; },
  // What is ordered by depth has no operator: it covers what is behind it.
  isOrdered(row) {
    const { group } = tree.placeOf(editor.document, row.id);
    return Boolean(group) && settings.kindOf(tree.find(editor.document, group)).ordersByDepth;
  },
  signClass(row) { return { word: this.signOf(row).length > 3, invisible: this.isOrdered(row) }; },
  marksOf(row) {
    const source = sources.of(row);
    const marks =
      sources.hasElements && source && row.kind === "pass" && !this.isOfLayer(row, source) ? [source.elementName] : [];
    if (source && settings.kindOf(row).takenAs) marks.push(settings.kindOf(row).takenAs);
    if (row.solo) marks.push("solo");
    if (row.matte) marks.push(row.matte);
    if (keysOf(row).length) marks.push(`${keysOf(row).length} keys`);
    if (this.isTrimmed(row)) marks.push("trimmed");
    if (row.comment) marks.push(row.comment);
    return marks.join(" · ");
  },
  onLabel(row) { return `${sources.titleOf(row)} on`; },
  runningLabel(row) { return `Show the sum down to ${sources.titleOf(row)}`; },
  operatorLabel(row) { return `Operator of ${sources.titleOf(row)}`; },
  amountLabel(row) { return `Amount of ${sources.titleOf(row)}`; },
  foldLabel(row) { return `Trims of ${sources.titleOf(row)}`; },
  foldIcon(row) { return this.isOpen(row) ? "bi-chevron-up" : "bi-chevron-down"; },
  groupLabel(row) { return row.folded ? `Unfold ${sources.titleOf(row)}` : `Fold ${sources.titleOf(row)}`; },
  groupIcon(row) { return row.folded ? "bi-caret-right-fill" : "bi-caret-down-fill"; },
  isOpen(row) { return this.opened === row.id; },
  fold(row) {
    this.opened = this.isOpen(row) ? "" : row.id;
    if (this.opened) this.bringUp(row.id);
    onOpen();
  },
  bringUp(id) {
    nextTick(() => document.querySelector(`[data-row="${CSS.escape(id)}"]`)?.scrollIntoView({ block: "start" }));
  },
  get keyFrames() {
    const row = this.opened ? tree.find(editor.document, this.opened) : null;
    return row ? keysOf(row) : [];
  },

  // ---- Changes ----
  setOperator(row, operator) {
    const { display } = page.operators.find(({ key }) => key === operator);
    settings.change(row, display ? { operator } : { operator, display: false });
  },
  foldGroup(row) { settings.change(row, { folded: !row.folded }); },
  duplicate(row) {
    const ledger = editor.current();
    const fresh = (old) => ({
      ...old,
      id: tree.freeId(ledger, `${old.id} again`),
      in_balance: false,
      ...(old.rows ? { rows: old.rows.map(fresh) } : {}),
    });
    editor.commit(tree.after(ledger, row.id, fresh(tree.find(ledger, row.id))));
  },
  // Rows travel as the text of a ledger: to another shot, into a mail, and back.
  async copy(row) {
    await notices.guarded(async () => {
      const { text } = await (await post(page.urls.copy, { ...editor.question(), row: row.id })).json();
      await navigator.clipboard.writeText(text);
      notices.remark = `${this.titleOf(row)} copied, as text.`;
    });
  },
  // From the clipboard, where something else than a field has the focus.
  async paste(event) {
    if (!editor.mayChange || event.target.closest?.("input, select, textarea")) return;
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!text.trim().startsWith("{")) return;
    event.preventDefault();
    await notices.guarded(async () => {
      const answer = await (await post(page.urls.paste, { ...editor.question(), text, row: this.opened })).json();
      editor.commit(answer.ledger);
      notices.remark = answer.remark;
    });
  },
  remove(row) { editor.commit(tree.without(editor.current(), row.id)); },
  group(row) {
    const ledger = editor.current();
    const id = tree.freeId(ledger, "group");
    editor.commit(
      tree.replaced(ledger, row.id, [{ ...page.kinds.rows.group.blank, id, rows: [tree.find(ledger, row.id)] }]),
    );
    this.opened = id;
  },
  ungroup(row) { editor.commit(tree.replaced(editor.current(), row.id, tree.find(editor.current(), row.id).rows)); },
  async add(source, row = "") {
    await notices.guarded(async () => {
      const answer = await (await post(page.urls.add, { ...editor.question(), source, row })).json();
      editor.commit(answer.ledger);
      notices.remark = answer.remark;
      this.opened = answer.row;
      onAdd();
      this.bringUp(answer.row);
    });
  },
  canFollow({ repair }) { return Object.keys(repair).length > 0; },
  async follow({ repair }) {
    if (repair.insert) await this.add(repair.insert);
    else if (repair.remove) editor.commit(tree.without(editor.current(), repair.remove));
    else editor.commit(tree.withRow(editor.current(), repair.row, { operator: repair.operator }));
  },
});
