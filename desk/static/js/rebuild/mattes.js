// Mattes: which one a row has, and the panel where they are made of parts.
import { reactive } from "../reactive.js";
import { freeName, stepsUsing, withMatte, withMatteNamed, withoutMatte } from "./matte-tree.js";
import { phrase, sentence } from "./parts.js";
import * as tree from "./tree.js";

const FIRST = "matte";
const PANEL = "mattes";
const WAYS = ["tint", "alone", "checker", "edge"];
export const COLOURS = "eager:tint"; // where the colour of the tint is kept, in this browser

/** @typedef {ReturnType<typeof createMattes>} Mattes */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./rows.js").Rows} uses.rows
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./shown.js").Shown} uses.shown
 * @param {import("./panels.js").Panels} uses.panels
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {() => void} uses.onOpen another matte, or another part of it, is open
 */
export const createMattes = (page, { editor, sources, rows, settings, shown, panels, frames, aim, notices, onOpen }) =>
  reactive({
    opened: "", // id of the one that is open
    openPart: 0,
    ways: WAYS,

    // ---- Of a row ----
    choicesFor(row) {
      const own = editor.document.mattes.map(({ id }) => ({
        value: `matte ${id}`,
        text: id,
        chosen: row.matte === id,
      }));
      const used = new Set(editor.document.mattes.map(({ source }) => source));
      const fresh = sources.covering.filter(({ key }) => !used.has(key));
      return [
        ...own,
        ...fresh.map(({ key, title }) => ({ value: `alpha ${key}`, text: `alpha of ${title}`, chosen: false })),
      ];
    },
    label(row) {
      return `Matte of ${rows.titleOf(row)}`;
    },
    of(row) {
      return editor.document.mattes.find(({ id }) => id === row.matte);
    },
    isInverted(row) {
      return this.of(row)?.kind === "inverted";
    },
    // Light that is part of the rebuild stays whole, and only its trims are limited; what is laid on top is limited
    // itself.
    fitting(row, matte) {
      return { matte, ...(matte && !row.matte && row.in_balance ? { matte_on: "trims" } : {}) };
    },
    set(row, chosen) {
      const [, kind, name] = chosen.match(/^(matte|alpha|new) ?(.*)$/s) ?? [null, "none", ""];
      if (kind === "new") {
        this.create(row);
        return;
      }
      if (kind !== "alpha") {
        settings.change(row, this.fitting(row, kind === "matte" ? name : null));
        return;
      }
      const id = freeName(editor.current().mattes, `alpha of ${name.split("/").at(-1)}`);
      const ledger = withMatte(editor.current(), { kind: "alpha", id, source: name, comment: "" });
      editor.commit(tree.withRow(ledger, row.id, this.fitting(row, id)));
    },
    // The other way round: the matte that inverts this one, made if there is none, or the one that it inverts.
    invert(row) {
      const ledger = editor.current();
      const matte = this.of(row);
      if (matte.kind === "inverted") {
        settings.change(row, { matte: matte.of });
        return;
      }
      const known = ledger.mattes.find(({ kind, of }) => kind === "inverted" && of === matte.id);
      const made = known ?? {
        kind: "inverted",
        id: freeName(ledger.mattes, `not ${matte.id}`),
        of: matte.id,
        comment: "",
      };
      editor.commit(tree.withRow(known ? ledger : withMatte(ledger, made), row.id, { matte: made.id }));
    },
    edit(row) {
      panels.show(PANEL);
      this.open(row.matte);
    },

    // ---- The panel ----
    toggle() {
      if (panels.toggle(PANEL)) this.open(this.current ? this.opened : (editor.document.mattes[0]?.id ?? ""));
    },
    open(id) {
      this.opened = id;
      this.openPart = 0;
      aim.drop();
      this.show();
      onOpen();
    },
    // What was undone, or removed by somebody else, is not shown any more.
    forgetRemoved() {
      const there = editor.current().mattes.some(({ id }) => id === this.opened);
      if (there || !this.opened) return;
      this.opened = "";
      aim.drop();
      if (shown.at.show === "matte") shown.at = { show: "rebuilt", key: "" };
    },
    leave() {
      aim.drop();
      if (shown.at.show === "matte") shown.show("rebuilt");
    },
    get listed() {
      return editor.document.mattes.map(({ id }) => ({ id, chosen: id === this.opened }));
    },
    get current() {
      return editor.document.mattes.find(({ id }) => id === this.opened);
    },
    get isMade() {
      return this.current?.kind === "made";
    },
    get sentence() {
      return this.current
        ? sentence(this.current, (key) => sources.titleOf({ source: key }), frames.current)
        : "No matte is open.";
    },
    get users() {
      const users = [...tree.walk(editor.document.rows)]
        .filter(({ row }) => row.matte === this.opened)
        .map(({ row }) => rows.titleOf(row));
      users.push(
        ...stepsUsing(editor.document, this.opened, page.mattesOfSteps).map(
          (step) => `“${step.name || step.id}” of the finish`,
        ),
      );
      return users.length ? `limits ${users.join(", ")}` : "limits no row yet";
    },
    create(row = null) {
      const id = freeName(editor.current().mattes, FIRST);
      const ledger = withMatte(editor.current(), { kind: "made", id, comment: "", parts: [] });
      editor.commit(row ? tree.withRow(ledger, row.id, this.fitting(row, id)) : ledger);
      panels.show(PANEL);
      this.open(id);
    },
    rename(name) {
      const wanted = name.trim();
      if (!wanted || wanted === this.opened) return;
      const id = freeName(editor.current().mattes, wanted);
      const ledger = withMatteNamed(editor.current(), this.opened, id, page.mattesOfSteps);
      this.opened = id;
      if (shown.at.show === "matte") shown.at = { show: "matte", key: id };
      editor.commit(ledger);
    },
    // Rows that it limits are limited by nothing then; a matte that is part of another stays.
    remove() {
      const ledger = editor.current();
      const needed = ledger.mattes.find(
        (other) => other.of === this.opened || other.parts?.some(({ of }) => of === this.opened),
      );
      if (needed) {
        notices.remark = `“${needed.id}” is made of it; take it out there first.`;
        return;
      }
      editor.commit(withoutMatte(ledger, this.opened, page.mattesOfSteps));
    },

    // ---- How it is looked at ----
    show() {
      if (this.current) shown.show("matte", this.opened);
    },
    setWay(way) {
      shown.matteWay = way;
      this.show();
    },
    setTint(colour) {
      shown.tint = colour;
      localStorage.setItem(COLOURS, colour);
      this.setWay("tint");
    },

    // ---- Parts ----
    get partLines() {
      const parts = this.isMade ? this.current.parts : [];
      return parts.map((part, index) => ({
        index,
        row: { ...part, at: { matte: this.opened, index } },
        open: index === this.openPart,
        first: index === 0,
        text: phrase(part, (key) => sources.titleOf({ source: key }), frames.current),
      }));
    },
    get openedPart() {
      return this.isMade ? this.current.parts[this.openPart] : undefined;
    },
    commitParts(parts) {
      editor.commit(withMatte(editor.current(), { ...this.current, parts }));
    },
  });
