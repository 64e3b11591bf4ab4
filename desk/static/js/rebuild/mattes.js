// Mattes: which one a row has, and the panel where they are made of parts.
import { freeName, stepsUsing, withMatte, withMatteNamed, withoutMatte } from "./matte-tree.js";
import { HOWS, offered, phrase, sentence } from "./parts.js";
import * as tree from "./tree.js";

const FIRST = "matte";
const GATHERED = ["names", "colour", "strokes", "shape"]; // parts that add to what is there, where others narrow it
const COLOURS = "eager:tint";

export const mattes = (page, shared) => ({
  matting: false,
  matte: "", // id of the one that is open
  openPart: 0,
  matteWay: "tint",
  tintOf: localStorage.getItem(COLOURS) ?? "#19e666",
  hows: HOWS,
  matteWays: ["tint", "alone", "checker", "edge"],

  // ---- Of a row ----
  get covering() { return this.sources.filter(({ covers }) => covers); },
  matteChoices(row) {
    const own = this.ledger.mattes.map(({ id }) => ({ value: `matte ${id}`, text: id, chosen: row.matte === id }));
    const used = new Set(this.ledger.mattes.map(({ source }) => source));
    const fresh = this.covering.filter(({ key }) => !used.has(key));
    return [...own, ...fresh.map(({ key, title }) => ({ value: `alpha ${key}`, text: `alpha of ${title}`, chosen: false }))];
  },
  matteLabel(row) { return `Matte of ${this.rowTitle(row)}`; },
  matteOf(row) { return this.ledger.mattes.find(({ id }) => id === row.matte); },
  isInverted(row) { return this.matteOf(row)?.kind === "inverted"; },
  // Light that is part of the rebuild stays whole, and only its trims are limited; what is laid on top is limited itself.
  fitting(row, matte) { return { matte, ...(matte && !row.matte && row.in_balance ? { matte_on: "trims" } : {}) }; },
  setMatte(row, chosen) {
    const [, kind, name] = chosen.match(/^(matte|alpha|new) ?(.*)$/s) ?? [null, "none", ""];
    if (kind === "new") {
      this.newMatte(row);
      return;
    }
    if (kind !== "alpha") {
      this.change(row, this.fitting(row, kind === "matte" ? name : null));
      return;
    }
    const id = freeName(shared.ledgers.current.mattes, `alpha of ${name.split("/").at(-1)}`);
    const ledger = withMatte(shared.ledgers.current, { kind: "alpha", id, source: name, comment: "" });
    this.commit(tree.withRow(ledger, row.id, this.fitting(row, id)));
  },
  // The other way round: the matte that inverts this one, made if there is none, or the one that it inverts.
  invertMatte(row) {
    const ledger = shared.ledgers.current;
    const matte = this.matteOf(row);
    if (matte.kind === "inverted") {
      this.change(row, { matte: matte.of });
      return;
    }
    const known = ledger.mattes.find(({ kind, of }) => kind === "inverted" && of === matte.id);
    const made = known ?? { kind: "inverted", id: freeName(ledger.mattes, `not ${matte.id}`), of: matte.id, comment: "" };
    this.commit(tree.withRow(known ? ledger : withMatte(ledger, made), row.id, { matte: made.id }));
  },
  editMatte(row) {
    this.matting = true;
    this.dimming = false;
    this.openMatte(row.matte);
  },

  // ---- The panel ----
  toggleMatting() {
    this.matting = !this.matting;
    if (!this.matting) {
      this.leaveMatte();
      return;
    }
    this.dimming = false;
    this.openMatte(this.openedMatte ? this.matte : (this.ledger.mattes[0]?.id ?? ""));
  },
  openMatte(id) {
    this.matte = id;
    this.openPart = 0;
    this.dropAim();
    this.showMatte();
    this.readNames();
  },
  // What was undone, or removed by somebody else, is not shown any more.
  mindMatte() {
    const there = shared.ledgers.current.mattes.some(({ id }) => id === this.matte);
    if (there || !this.matte) return;
    this.matte = "";
    this.dropAim();
    if (this.shown.show === "matte") this.shown = { show: "rebuilt", key: "" };
  },
  leaveMatte() {
    this.dropAim();
    if (this.shown.show === "matte") this.show("rebuilt");
  },
  get mattesListed() { return this.ledger.mattes.map(({ id }) => ({ id, chosen: id === this.matte })); },
  get openedMatte() { return this.ledger.mattes.find(({ id }) => id === this.matte); },
  get isMade() { return this.openedMatte?.kind === "made"; },
  get matteSentence() { return this.openedMatte ? sentence(this.openedMatte, (key) => this.titleOf({ source: key }), this.frame) : "No matte is open."; },
  get matteUsers() {
    const users = [...tree.walk(this.ledger.rows)].filter(({ row }) => row.matte === this.matte).map(({ row }) => this.rowTitle(row));
    users.push(...stepsUsing(this.ledger, this.matte, page.mattesOfSteps).map((step) => `“${step.name || step.id}” of the finish`));
    return users.length ? `limits ${users.join(", ")}` : "limits no row yet";
  },
  newMatte(row = null) {
    const id = freeName(shared.ledgers.current.mattes, FIRST);
    const ledger = withMatte(shared.ledgers.current, { kind: "made", id, comment: "", parts: [] });
    this.commit(row ? tree.withRow(ledger, row.id, this.fitting(row, id)) : ledger);
    this.matting = true;
    this.dimming = false;
    this.openMatte(id);
  },
  renameMatte(name) {
    const wanted = name.trim();
    if (!wanted || wanted === this.matte) return;
    const id = freeName(shared.ledgers.current.mattes, wanted);
    const ledger = withMatteNamed(shared.ledgers.current, this.matte, id, page.mattesOfSteps);
    this.matte = id;
    if (this.shown.show === "matte") this.shown = { show: "matte", key: id };
    this.commit(ledger);
  },
  // Rows that it limits are limited by nothing then; a matte that is part of another stays.
  removeMatte() {
    const ledger = shared.ledgers.current;
    const needed = ledger.mattes.find((other) => other.of === this.matte || other.parts?.some(({ of }) => of === this.matte));
    if (needed) {
      this.remark = `“${needed.id}” is made of it; take it out there first.`;
      return;
    }
    this.commit(withoutMatte(ledger, this.matte, page.mattesOfSteps));
  },

  // ---- How it is looked at ----
  showMatte() {
    if (this.openedMatte) this.show("matte", this.matte);
  },
  setWay(way) {
    this.matteWay = way;
    this.showMatte();
  },
  setTint(colour) {
    this.tintOf = colour;
    localStorage.setItem(COLOURS, colour);
    this.setWay("tint");
  },
  isWay(way) { return this.shown.show === "matte" && this.matteWay === way; },
  get hoverNames() {
    const names = this.lines.filter(({ key }) => key.startsWith("name/")).map(({ title, stored }) => `${title} ${Math.round(stored[0] * 100)} %`);
    return names.join(", ") || "no name here";
  },

  // ---- Parts ----
  get partLines() {
    const parts = this.isMade ? this.openedMatte.parts : [];
    return parts.map((part, index) => ({
      index, row: { ...part, at: { matte: this.matte, index } }, open: index === this.openPart, first: index === 0,
      text: phrase(part, (key) => this.titleOf({ source: key }), this.frame),
    }));
  },
  get openedPart() { return this.isMade ? this.openedMatte.parts[this.openPart] : undefined; },
  get partChoices() {
    const place = this.ledger.mattes.findIndex(({ id }) => id === this.matte);
    return offered(this.sources, this.ledger.mattes.slice(0, place), page);
  },
  partKey(line) { return `${this.matte}/${line.index}`; },
  partLabel(line, what) { return `${what} part ${line.index + 1}`; },
  addPart(event) {
    const way = this.partChoices[Number(event.target.value)];
    const chosen = event.target.value;
    event.target.value = "";
    if (!chosen || !way) return;
    this.dropAim();
    const count = this.openedMatte.parts.length;
    const how = count && !GATHERED.includes(way.part.kind) ? "intersect" : "add";
    this.openPart = count;
    if (way.part.kind === "shape") this.drawShape(way.part.form, how);
    else {
      this.commitParts([...this.openedMatte.parts, { ...way.part, how }]);
      this.beginPart(way.part);
    }
  },
  commitParts(parts) { this.commit(withMatte(shared.ledgers.current, { ...this.openedMatte, parts })); },
  previewParts(parts) { this.preview(withMatte(shared.ledgers.current, { ...this.openedMatte, parts }), undefined); },
  foldPart(line) {
    this.dropAim();
    this.openPart = line.open ? -1 : line.index;
    this.readNames();
  },
  removePart(line) {
    this.dropAim();
    this.commitParts(this.openedMatte.parts.toSpliced(line.index, 1));
    this.openPart = -1;
  },
  movePart(line, by) {
    const { parts } = this.openedMatte;
    const to = line.index + by;
    if (to < 0 || to >= parts.length) return;
    this.commitParts(parts.toSpliced(line.index, 1).toSpliced(to, 0, parts[line.index]));
    this.openPart = to;
  },
  partCurve(part) { return JSON.stringify(part.curve.points); },
  setPart(line, changes) { this.change(line.row, changes); },
});
