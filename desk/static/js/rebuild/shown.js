// What is shown of the ledger: the sum, a row, a source, a matte; and what it can be compared with.
import { reactive } from "../reactive.js";
import { COLOURS } from "./mattes.js";
import { find, walk } from "./tree.js";

const STAGES = { rebuilt: "rebuilt", untrimmed: "rebuilt, untrimmed", rendered: "rendered" };

/** @typedef {ReturnType<typeof createShown>} Shown */

/**
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./settings.js").Settings} uses.settings
 * @param {() => void} uses.onChange something else is shown
 */
export const createShown = ({ editor, sources, settings, onChange }) => reactive({
  at: { show: "rebuilt", key: "" },
  matteWay: "tint",
  tint: localStorage.getItem(COLOURS) ?? "#19e666",

  get subject() {
    const { show, key } = this.at;
    if (show === "matte") return { kind: "matte", matte: key, way: this.matteWay, colour: this.tint };
    return { kind: "ledger", ...this.at };
  },
  isWay(way) { return this.at.show === "matte" && this.matteWay === way; },
  show(show, key = "") {
    this.at = { show, key };
    onChange();
  },
  showRow(row) { this.show("row", row.id); },
  showSource(row) {
    this.show(...(row.source && !settings.kindOf(row).hasOwnFrames ? ["source", row.source] : ["row", row.id]));
  },
  isStage(show, key) { return this.at.show === show && this.at.key === key; },
  get source() { return this.at.show === "source" ? sources.of({ source: this.at.key }) : null; },
  get probeKey() {
    const { show, key } = this.at;
    if (show === "matte") return "matte";
    if (show === "row") return `sum/${key}`;
    if (show === "source")
      return `row/${[...walk(editor.document.rows)].find(({ row }) => row.source === key)?.row.id}`;
    return show === "rendered" ? "rendered" : "rebuilt";
  },
  get title() {
    const { show, key } = this.at;
    if (show === "matte") return `matte ${key}`;
    if (show === "row") return `sum down to ${sources.titleOf(find(editor.document, key) ?? { source: key })}`;
    if (show === "source") return `source: ${sources.titleOf({ source: key })}`;
    return STAGES[show] ?? "difference, untrimmed";
  },

  // ---- What it can be compared with ----
  get origins() {
    const stages = Object.entries(STAGES).map(([key, text]) => ({ key, text }));
    const sums = [...walk(editor.document.rows)].map(({ row }) => ({
      key: `row/${row.id}`,
      text: `sum down to ${sources.titleOf(row)}`,
    }));
    const versions = editor.versions.map((version) => ({
      id: `v${version.number}`,
      text: `ledger ${version.label}`,
      items: stages,
    }));
    const byElement = Map.groupBy(sources.all, (source) => source.element);
    const passes = [...byElement].map(([id, own]) => ({
      id: `e${id}`,
      text: own[0].elementName,
      items: own.map((source) => ({ key: source.pass, text: source.passTitle })),
    }));
    // The rendered beauty first: that is what a sum is compared with.
    const own = { id: "ledger", text: "this ledger", items: [stages[2], stages[0], stages[1], ...sums] };
    return [own, ...versions, ...passes];
  },
  otherSubject({ id }, key) {
    if (id.startsWith("e")) return { kind: "pass", element: Number(id.slice(1)), key };
    if (id.startsWith("v")) return { kind: "ledger", show: key, version: Number(id.slice(1)) };
    return key.startsWith("row/") ? { kind: "ledger", show: "row", key: key.slice(4) } : { kind: "ledger", show: key };
  },
});
