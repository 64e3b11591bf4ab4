// The rows of the ledger: how they read, and how they are added, grouped and removed.
import { post } from "../api.js";
import * as tree from "./tree.js";
import { keysOf } from "./time.js";

const ROOMY = 12; // rows that have room in the window as they are

export const rows = (page, shared) => ({
  sources: page.sources,
  starts: page.starts,
  operators: page.operators,
  opened: page.row,
  remark: "",
  contributions: { rows: [], strip: "", width: 0, height: 0 },

  // ---- How they read ----
  // Every row that is to be seen: what is in a folded group is not.
  get listed() {
    const folded = new Set();
    return [...tree.walk(this.ledger.rows)].filter(({ row, group }) => {
      if (folded.has(group)) {
        folded.add(row.id);
        return false;
      }
      if (row.folded) folded.add(row.id);
      return true;
    });
  },
  // Many rows stand closer.
  get rowsClass() { return { dense: this.listed.length > ROOMY }; },
  get startText() { return this.ledger.alpha ? `start: black, alpha of ${this.titleOf({ source: this.ledger.alpha })}` : "start: black, transparent"; },
  lineStyle({ depth }) { return { paddingLeft: `${8 + depth * 12}px` }; },
  sourceOf(row) { return this.sources.find((source) => source.key === row.source); },
  titleOf(row) {
    const { by, words, otherwise } = page.kinds.rows[row.kind ?? "pass"].label;
    return (by && (words[row[by]] ?? row[by])) || otherwise || (this.sourceOf(row)?.title ?? row.source);
  },
  // A ledger onto the denoised beauty says so at its start; only what differs from that is told in its rows.
  rowTitle(row) {
    if (row.kind !== "pass") return this.titleOf(row);
    const source = this.sourceOf(row);
    const beauty = this.sourceOf({ source: this.ledger.beauty });
    if (!source) return row.source;
    return source.denoised && !beauty?.denoised ? `${source.passTitle}, denoised` : source.passTitle;
  },
  sourceHint(row) {
    const layer = row.alpha && this.sourceOf({ source: row.alpha });
    const meaning = layer ? `The layer ${layer.elementName}, with its own alpha.` : this.meaningOf(row);
    return row.comment ? `${row.comment}\n${meaning}` : meaning;
  },
  meaningOf(row) {
    if (this.isGroup(row)) return this.kindOf(row).meaning || `${row.rows.length} rows, summed by themselves.`;
    return this.kindOf(row).meaning || (this.sourceOf(row)?.meaning ?? "This source is not in the files of this frame.");
  },
  shareOf(row) { return this.contributions.rows.find((entry) => entry.id === row.id)?.share ?? 0; },
  shareText(row) { return Math.abs(this.shareOf(row)) < 10 ? `${(this.shareOf(row) * 100).toFixed(0)}%` : ">999%"; },
  shareStyle(row) { return { width: `${Math.min(100, Math.abs(this.shareOf(row)) * 100)}%` }; },
  shareClass(row) { return this.shareOf(row) < 0 ? "less" : ""; },
  shareHint(row) { return `${this.titleOf(row)} makes ${(this.shareOf(row) * 100).toFixed(2)} % of the picture's light`; },
  thumbnail(row) {
    const found = this.contributions.rows.findIndex((entry) => entry.id === row.id);
    if (found < 0) return {};
    const high = `${this.contributions.rows.length * 100}%`;
    const place = this.contributions.rows.length > 1 ? `${(found / (this.contributions.rows.length - 1)) * 100}%` : "0";
    return { backgroundImage: `url(${this.contributions.strip})`, backgroundSize: `100% ${high}`, backgroundPosition: `0 ${place}` };
  },
  rowClass({ row, depth }) {
    return { open: this.isOpen(row), off: !row.on, before: this.before === row.id, into: this.into === row.id, group: this.isGroup(row), inner: depth > 0 };
  },
  // Within the group of its own layer, which says so already.
  isOfLayer(row, source) {
    const { group } = tree.placeOf(this.ledger, row.id);
    const alpha = group && tree.find(this.ledger, group).alpha;
    return alpha && this.sourceOf({ source: alpha })?.element === source.element;
  },
  get hasElements() { return new Set(this.sources.map(({ element }) => element)).size > 1; },
  signOf(row) { return page.operators.find(({ key }) => key === row.operator).sign; },
  // What is ordered by depth has no operator: it covers what is behind it.
  isOrdered(row) {
    const { group } = tree.placeOf(this.ledger, row.id);
    return Boolean(group) && this.kindOf(tree.find(this.ledger, group)).ordersByDepth;
  },
  signClass(row) { return { word: this.signOf(row).length > 3, invisible: this.isOrdered(row) }; },
  marksOf(row) {
    const source = this.sourceOf(row);
    const marks = this.hasElements && source && row.kind === "pass" && !this.isOfLayer(row, source) ? [source.elementName] : [];
    if (source && this.kindOf(row).takenAs) marks.push(this.kindOf(row).takenAs);
    if (row.solo) marks.push("solo");
    if (row.matte) marks.push(row.matte);
    if (keysOf(row).length) marks.push(`${keysOf(row).length} keys`);
    if (this.isTrimmed(row)) marks.push("trimmed");
    if (row.comment) marks.push(row.comment);
    return marks.join(" · ");
  },
  onLabel(row) { return `${this.titleOf(row)} on`; },
  runningLabel(row) { return `Show the sum down to ${this.titleOf(row)}`; },
  operatorLabel(row) { return `Operator of ${this.titleOf(row)}`; },
  amountLabel(row) { return `Amount of ${this.titleOf(row)}`; },
  foldLabel(row) { return `Trims of ${this.titleOf(row)}`; },
  foldIcon(row) { return this.isOpen(row) ? "bi-chevron-up" : "bi-chevron-down"; },
  groupLabel(row) { return row.folded ? `Unfold ${this.titleOf(row)}` : `Fold ${this.titleOf(row)}`; },
  groupIcon(row) { return row.folded ? "bi-caret-right-fill" : "bi-caret-down-fill"; },
  isOpen(row) { return this.opened === row.id; },
  fold(row) {
    this.opened = this.isOpen(row) ? "" : row.id;
    if (this.opened) this.bringUp(row.id);
    this.showRibbon();
    this.countAgain();
    this.nameAddress();
  },
  bringUp(id) {
    this.$nextTick(() => document.querySelector(`[data-row="${CSS.escape(id)}"]`)?.scrollIntoView({ block: "start" }));
  },
  get ribbonKeys() {
    const row = this.opened ? tree.find(this.ledger, this.opened) : null;
    return row ? keysOf(row) : [];
  },

  // ---- Changes ----
  setOperator(row, operator) {
    const { display } = page.operators.find(({ key }) => key === operator);
    this.change(row, display ? { operator } : { operator, display: false });
  },
  foldGroup(row) { this.change(row, { folded: !row.folded }); },
  duplicate(row) {
    const ledger = shared.ledgers.current;
    const fresh = (old) => ({ ...old, id: tree.freeId(ledger, `${old.id} again`), in_balance: false, ...(old.rows ? { rows: old.rows.map(fresh) } : {}) });
    this.commit(tree.after(ledger, row.id, fresh(tree.find(ledger, row.id))));
  },
  // Rows travel as the text of a ledger: to another shot, into a mail, and back.
  async copyRow(row) {
    await this.guarded(async () => {
      const { text } = await (await post(page.urls.copy, { ...this.question, row: row.id })).json();
      await navigator.clipboard.writeText(text);
      this.remark = `${this.rowTitle(row)} copied, as text.`;
    });
  },
  // From the clipboard, where something else than a field has the focus.
  async pasted(event) {
    if (!this.mayChange || event.target.closest?.("input, select, textarea")) return;
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!text.trim().startsWith("{")) return;
    event.preventDefault();
    await this.guarded(async () => {
      const answer = await (await post(page.urls.paste, { ...this.question, text, row: this.opened })).json();
      this.commit(answer.ledger);
      this.remark = answer.remark;
    });
  },
  remove(row) { this.commit(tree.without(shared.ledgers.current, row.id)); },
  group(row) {
    const ledger = shared.ledgers.current;
    const id = tree.freeId(ledger, "group");
    this.commit(tree.replaced(ledger, row.id, [{ ...page.kinds.rows.group.blank, id, rows: [tree.find(ledger, row.id)] }]));
    this.opened = id;
  },
  ungroup(row) { this.commit(tree.replaced(shared.ledgers.current, row.id, tree.find(shared.ledgers.current, row.id).rows)); },
  async add(source, row = "") {
    await this.guarded(async () => {
      const answer = await (await post(page.urls.add, { ...this.question, source, row })).json();
      this.commit(answer.ledger);
      this.remark = answer.remark;
      this.opened = answer.row;
      this.countAgain();
      this.bringUp(answer.row);
    });
  },
  async startAgain(event) {
    const chosen = event.target.value;
    event.target.value = "";
    if (chosen === "file") {
      this.$refs.ledgerFile.click();
      return;
    }
    if (chosen.startsWith("ledger ")) {
      await this.layTemplate({ template: Number(chosen.slice(7)) });
      return;
    }
    const start = page.starts[chosen];
    if (!start) return;
    this.askToReplace(`Start again from ${start.title}?`, async () => {
      const answer = await post(page.urls.first, { ledgerId: page.ledgerId, frame: this.frame, ...start });
      this.commit((await answer.json()).ledger);
    });
  },
  canFollow(suggestion) { return suggestion.action !== "note"; },
  async follow({ action, key }) {
    if (action === "insert") await this.add(key);
    else if (action === "remove") this.commit(tree.without(shared.ledgers.current, key));
    else this.commit(tree.withRow(shared.ledgers.current, key, { operator: action }));
  },
});
