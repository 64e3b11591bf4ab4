// The row of steps under the picture, in their order, each with the picture before and after it.
import { isSuperseded, ofFault, post } from "../api.js";
import { Newest } from "../newest.js";
import { byRef, nextTick, reactive } from "../reactive.js";
import { findStep, movedStep, onDisplay, withStep } from "./chain.js";

// One of several pictures that stand below each other in one.
const partOf = (url, count, place) => {
  const last = Math.max(1, count - 1);
  if (!url) return {};
  return {
    backgroundImage: `url(${url})`,
    backgroundSize: `100% ${count * 100}%`,
    backgroundPosition: `0 ${(Math.min(place, last) / last) * 100}%`,
  };
};

const unmeasured = (line) => ({ ...line, change: line.change && "…", x: null, y: null });

/** @typedef {ReturnType<typeof createSteps>} Steps */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {() => void} uses.onOpen another step is open, or none
 */
export const createSteps = (page, { editor, onOpen }) => {
  const chains = new Newest((document) => steps.fetch(document));
  const measures = new Newest((document) => steps.measure(document));

  const steps = reactive({
    openedId: page.step,
    strip: { words: "", strip: "", stages: 1, width: 1, height: 1, where: "", changes: [], every: 1 },
    dragged: "",

    get cards() {
      return editor.document.finish.map((step, index) => ({
        step,
        index,
        id: step.id,
        firstOnDisplay: this.isFirstOnDisplay(index),
      }));
    },
    isFirstOnDisplay(index) {
      const { finish } = editor.document;
      return (
        onDisplay(finish[index], page.kinds.steps) && !(index > 0 && onDisplay(finish[index - 1], page.kinds.steps))
      );
    },
    get hasDisplaySteps() { return editor.document.finish.some((step) => onDisplay(step, page.kinds.steps)); },
    nameOf(step) { return step ? step.name || page.kinds.steps[step.kind].title : ""; },
    get opened() {
      const step = findStep(editor.document, this.openedId);
      return step ? { ...step, at: { step: step.id } } : null;
    },
    get openedLines() { return this.opened ? [{ row: this.opened }] : []; },
    isOpened(step) { return step.id === this.openedId; },
    cardLabel({ step, index }) {
      return `${index + 1}. ${this.nameOf(step)}${step.enabled ? "" : ", off"}${step.solo ? ", solo" : ""}`;
    },
    cardClass({ step }) {
      return {
        opened: this.isOpened(step),
        off: !step.enabled || (this.anySolo && !step.solo),
        target: this.dragged === step.id,
      };
    },
    get anySolo() { return editor.document.finish.some(({ solo }) => solo); },
    isMoving(step) { return Object.values(step).flat().some((value) => Array.isArray(value?.keys)); },
    thumb(place) { return partOf(this.strip.strip, this.strip.stages, place); },
    beforeStyle({ index }) { return this.thumb(index); },
    afterStyle({ index }) { return this.thumb(index + 1); },
    get changesText() {
      if (!this.cards.length) return "Add a step, or lay a chain that is there.";
      const { every } = this.strip;
      const measured = every > 1 ? `, one pixel in ${every ** 2} measured` : "";
      return (
        "What each step changes in this frame: how much of the picture, and by how many codes of 255 on the " +
        `screen${measured}. Press one to set it.`
      );
    },
    // What the last answer says of the steps that are there still.
    get changes() {
      const { changes, where } = this.strip;
      return changes.flatMap((line, index) => {
        const opens = findStep(editor.document, line.id);
        const whereLabel = `Go to what ${line.step} changes most`;
        return opens ? { ...line, opens, whereLabel, where: partOf(where, changes.length, index) } : [];
      });
    },
    open(step) {
      this.openedId = this.isOpened(step) ? "" : step.id;
      onOpen();
      if (!this.openedId) this.ask();
    },
    // What was undone, or removed by somebody else, is not open any more.
    forgetRemoved() {
      if (!this.openedId || findStep(editor.current(), this.openedId)) return false;
      this.openedId = "";
      return true;
    },
    // What was measured is of the document and the frame before: there is none until the next answer.
    async ask(after = null) {
      this.strip = { ...this.strip, where: "", changes: this.strip.changes.map(unmeasured) };
      await after;
      chains.ask(editor.current());
    },
    async fetch(document) {
      try {
        const answer = await (await post(page.urls.chain, { ...editor.question(), ledger: document })).json();
        const { where, changes, every } = this.strip;
        this.strip = { ...answer, where, changes, every };
        if (!this.opened) measures.ask(document);
      } catch (error) {
        if (!isSuperseded(error)) this.strip = { ...this.strip, words: ofFault(error).what };
      }
    },

    // What each step changes, of the picture itself: later than the small pictures, which nobody shall wait for.
    async measure(document) {
      const question = editor.question();
      try {
        const asked = { ...question, ledger: document, measured: true };
        const { where, changes, every } = await (await post(page.urls.chain, asked)).json();
        const isCurrent = document === editor.current() && question.frame === editor.question().frame;
        if (isCurrent) this.strip = { ...this.strip, where, changes, every };
      } catch (error) {
        if (!isSuperseded(error)) this.strip = { ...this.strip, changes: [], words: ofFault(error).what };
      }
    },

    onLabel({ step }) { return `${this.nameOf(step)} on`; },
    setEnabled({ id }, enabled) { editor.commit(withStep(editor.current(), id, { enabled })); },
    shift(step, by) {
      const { finish } = editor.current();
      const to = finish.findIndex(({ id }) => id === step.id) + by;
      if (to < 0 || to >= finish.length) return;
      const before = by > 0 ? finish[to + 1]?.id : finish[to].id;
      editor.commit(movedStep(editor.current(), step.id, before, page.kinds.steps));
    },
    cardKey(event, card) {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!by) return;
      event.preventDefault();
      event.stopPropagation();
      if (event.altKey) this.shift(card.step, by);
      const cards = [...event.currentTarget.closest("ol").querySelectorAll(".step-open")];
      const at = cards.indexOf(event.currentTarget);
      if (!event.altKey) cards[at + by]?.focus();
      else nextTick(() => [...byRef("chain").querySelectorAll(".step-open")][at + by]?.focus());
    },
    dragFrom(step, event) {
      event.dataTransfer.setData("text/plain", step.id);
      event.dataTransfer.effectAllowed = "move";
    },
    dropOn(before, event) {
      const id = event.dataTransfer.getData("text/plain");
      this.dragged = "";
      if (editor.mayChange && findStep(editor.current(), id) && id !== before)
        editor.commit(movedStep(editor.current(), id, before, page.kinds.steps));
    },
  });
  return steps;
};
