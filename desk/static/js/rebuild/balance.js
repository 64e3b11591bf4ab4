// The account of the ledger: what each row gives, and whether the sum lands on what was rendered.
import { Fault, post } from "../api.js";
import { Newest } from "../newest.js";
import { number, power } from "../numbers.js";
import { reactive } from "../reactive.js";

const TRIES = 3; // comparisons of the same ledger, when the server is too busy or has to make something ready first
const AGAIN_AFTER = 3000;
const UNCHANGED = "no trims or changes";
const KEPT = "eager-balance-open"; // in this browser: whether the sums are shown when all is well

/** @typedef {ReturnType<typeof createBalance>} Balance */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {import("./shares.js").Shares} uses.shares
 * @param {import("./shown.js").Shown} uses.shown
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {() => void} uses.onAnswer the comparison is there
 */
export const createBalance = (page, { editor, sources, frames, notices, shares, shown, picture, onAnswer }) => {
  const contributing = new Newest(() => balance.fetch());
  let tries = 0;

  const balance = reactive({
    result: null,
    waiting: true,
    asked: localStorage.getItem(KEPT) === "yes",
    unanswered: null, // why the last comparison failed
    searchingOn: false, // for causes, where the usual search stops
    searchedOn: false,

    // A verdict is that of its ledger and frame: after a change there is none until the next answer.
    // first: what has the server to itself until it is done.
    async ask(first) {
      this.waiting = true;
      this.result = null;
      this.searchedOn = false;
      this.unanswered = null;
      tries = 0;
      await first;
      contributing.ask({});
    },
    async fetch() {
      const ledger = editor.current();
      const frame = frames.current;
      const question = editor.question();
      // Else the next question is on its way
      const isCurrent = () => ledger === editor.current() && frame === frames.current;
      try {
        const contributions = await (await post(page.urls.contributions, question)).json();
        if (!isCurrent()) return;
        shares.contributions = contributions;
        shares.words = contributions.words;
        const found = await (await post(page.urls.balance, question)).json();
        if (!isCurrent()) return;
        this.result = found;
        this.waiting = false;
        this.unanswered = null;
        onAnswer(); // last: nobody waits for it
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        if (!isCurrent()) return;
        this.unanswered = error;
        // The same ledger may be answered later
        const passes = error.code.startsWith("work.") || error.code === "unreachable";
        if (passes && ++tries < TRIES) setTimeout(() => this.unanswered === error && contributing.ask({}), AGAIN_AFTER);
      }
    },
    // Of several layers: what their sum is compared with.
    get landingText() {
      if (editor.document.reference.length) return "compared with the beauties of the layers, laid together";
      const layered = editor.document.rows.some(({ alpha }) => alpha);
      return layered
        ? `compared with ${sources.of({ source: editor.document.beauty })?.elementName ?? "a render of everything"}`
        : "";
    },
    showDifference() {
      shown.show("difference");
      if (this.result) picture.lookAt(this.result.x, this.result.y);
    },
    // The sums stand there by themselves when something is wrong with them.
    get open() { return this.asked || Boolean(this.result && !this.result.balanced); },
    get foldIcon() { return this.open ? "bi-chevron-down" : "bi-chevron-up"; },
    toggle() {
      this.asked = !this.open;
      localStorage.setItem(KEPT, this.asked ? "yes" : "no");
    },
    get rebuiltMean() { return this.result ? number(this.result.rebuilt_mean) : "…"; },
    get renderedMean() { return this.result ? number(this.result.rendered_mean) : "…"; },
    get differenceText() {
      const { difference, x, y } = this.result ?? {};
      if (!difference) return "…";
      return this.open ? `${power(difference.largest)} at ${x}, ${y}` : `max ${power(difference.largest)}`;
    },
    get differenceMean() { return this.result ? power(this.result.difference.mean) : "…"; },
    get trimmedText() {
      const trimmed = this.result?.trimmed;
      if (!trimmed) return "…";
      return trimmed.difference.largest === this.result.difference.largest && trimmed.mean === this.result.rebuilt_mean
        ? UNCHANGED
        : `mean ${number(trimmed.mean)}, up to ${power(trimmed.difference.largest)} from rendered`;
    },
    // What the changes stand for, had they been rendered.
    get savedText() {
      return page.renderAgain && this.result?.trimmed && this.trimmedText !== UNCHANGED
        ? `instead of rendering again: ${page.renderAgain}`
        : "";
    },
    get verdict() {
      if (this.unanswered) return `not compared: ${this.unanswered.what}`;
      if (!this.result || this.waiting) return "comparing…";
      return this.result.verdict;
    },
    get verdictAdvice() { return this.unanswered ? `${this.unanswered.where} ${this.unanswered.advice}`.trim() : ""; },
    get verdictClass() {
      if (!this.result || this.waiting || this.result.balanced) return "";
      return this.result.nearly ? "nearly" : "off";
    },
    get verdictIcon() {
      if (this.unanswered) return "bi-exclamation-diamond-fill";
      if (!this.result || this.waiting) return "bi-hourglass-split";
      if (this.result.balanced) return "bi-check-lg";
      return this.result.nearly ? "bi-check2-circle" : "bi-exclamation-diamond-fill";
    },
    get suggestions() { return this.result?.suggestions ?? []; },
    // Where the search for causes stopped, and going on from there.
    get stoppedText() { return this.searchingOn ? "Searching on…" : this.result?.stopped ?? ""; },
    get maySearchOn() { return !this.searchingOn && !this.searchedOn && Boolean(this.result?.stopped); },
    async searchOn() {
      const ledger = editor.current();
      const frame = frames.current;
      this.searchingOn = true;
      await notices.guarded(async () => {
        const found = await (await post(page.urls.balance, { ...editor.question(), thorough: true })).json();
        if (ledger === editor.current() && frame === frames.current) [this.result, this.searchedOn] = [found, true];
      });
      this.searchingOn = false;
    },
  });
  return balance;
};
