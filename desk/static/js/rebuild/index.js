// The Rebuild station: the ledger left, the picture right. Numbers change here; all pixels are computed by the server.
import { pageData } from "../api.js";
import { viewer } from "../viewer/index.js";
import { joined } from "../viewer/joined.js";
import { adding } from "./adding.js";
import { balance } from "./balance.js";
import { curves } from "./curves.js";
import { dimmers } from "./dimmers.js";
import { dragging } from "./dragging.js";
import { drawing } from "./drawing.js";
import { keeping } from "./keeping.js";
import { keys } from "./keys.js";
import { mattes } from "./mattes.js";
import { picking } from "./picking.js";
import { rows } from "./rows.js";
import { settings } from "./settings.js";
import { strokes } from "./strokes.js";
import { find, walk } from "./tree.js";
import { templates } from "./templates.js";
import { targetNumbers } from "./target-numbers.js";
import { trims } from "./trims.js";
import { width } from "./width.js";
import "../curve-field.js";
import "../key-field.js";
import "../range-field.js";

const STAGES = { rebuilt: "rebuilt", untrimmed: "rebuilt, untrimmed", rendered: "rendered" };

export default () => {
  const page = pageData();
  const shared = { ledgers: null, sliding: null };

  const station = {
    frames: page.frames,
    shown: { show: "rebuilt", key: "" },

    init() {
      this.openViewer();
      this.openBalance();
      this.openKeeping();
      this.openCurves();
      this.openPicking();
      this.refresh();
      this.account();
      if (this.opened) this.bringUp(this.opened);
    },

    // ---- What is shown ----
    get subject() {
      const { show, key } = this.shown;
      return show === "matte" ? { kind: "matte", matte: key, way: this.matteWay, colour: this.tintOf } : { kind: "ledger", ...this.shown };
    },
    get groundShown() { return this.isWay("checker") ? "checker" : this.ground; },
    get extra() { return { ledgerId: page.ledgerId, ledger: shared.sliding ?? shared.ledgers.current }; },
    show(show, key = "") {
      this.shown = { show, key };
      this.asSuits();
      this.refresh();
    },
    showRow(row) { this.show("row", row.id); },
    showSource(row) { this.show(...(row.source && !this.kindOf(row).hasOwnFrames ? ["source", row.source] : ["row", row.id])); },
    isStage(show, key) { return this.shown.show === show && this.shown.key === key; },
    get shownSource() { return this.shown.show === "source" ? this.sourceOf({ source: this.shown.key }) : null; },
    get isData() { return this.shownSource?.data ?? false; },
    get isRange() { return this.isData && (this.way === "range" || (this.way === "auto" && this.shownSource.way === "range")); },
    get probeKey() {
      const { show, key } = this.shown;
      if (show === "matte") return "matte";
      if (show === "row") return `sum/${key}`;
      if (show === "source") return `row/${[...walk(this.ledger.rows)].find(({ row }) => row.source === key)?.row.id}`;
      return show === "rendered" ? "rendered" : "rebuilt";
    },
    get title() {
      const { show, key } = this.shown;
      if (show === "matte") return `matte ${key}`;
      if (show === "row") return `sum down to ${this.titleOf(find(this.ledger, key) ?? { source: key })}`;
      if (show === "source") return `source: ${this.titleOf({ source: key })}`;
      return STAGES[show] ?? "difference, untrimmed";
    },

    // ---- What it can be compared with ----
    get origins() {
      const stages = Object.entries(STAGES).map(([key, text]) => ({ key, text }));
      const sums = [...walk(this.ledger.rows)].map(({ row }) => ({ key: `row/${row.id}`, text: `sum down to ${this.titleOf(row)}` }));
      const versions = this.versions.map((version) => ({ id: `v${version.number}`, text: `ledger ${version.label}`, items: stages }));
      const byElement = Map.groupBy(this.sources, (source) => source.element);
      const passes = [...byElement].map(([id, sources]) => ({
        id: `e${id}`, text: sources[0].elementName, items: sources.map((source) => ({ key: source.pass, text: source.passTitle })),
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

    // ---- Elsewhere ----
    frameChanged() {
      this.account();
      this.readNames();
    },
    get lookUrl() { return `${page.urls.look}?element=${this.element}&frame=${this.frame}`; },
    get deepUrl() { return `${page.urls.deep}?${new URLSearchParams({ frame: this.frame, row: this.opened })}`; },
    get handoffUrl() { return `${page.urls.handoff}?frame=${this.frame}`; },
    nameAddress() {
      const query = new URLSearchParams({ frame: this.frame, ...(this.opened ? { row: this.opened } : {}) });
      window.history.replaceState(null, "", `?${query}`);
    },

    // ---- Keys and faults ----
    ownKeys() {
      return { 1: () => this.show("rebuilt"), 2: () => this.show("rendered"), 3: () => this.showDifference(), d: () => this.toggleDimming(), m: () => this.toggleMatting(), a: () => this.toggleAdding() };
    },
  };
  return viewer(page, joined({}, settings(page, shared), rows(page, shared), adding(page), width(), trims(page, shared), targetNumbers(), keys(page), curves(page, shared), mattes(page, shared), picking(page, shared), drawing(page, shared), strokes(), dragging(shared), dimmers(page, shared), templates(page), balance(page, shared), keeping(page, shared), station));
};
