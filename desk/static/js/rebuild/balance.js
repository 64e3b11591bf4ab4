// The account of the ledger: what each row gives, and whether the sum lands on what was rendered.
import { Fault, post } from "../api.js";
import { Newest } from "../newest.js";
import { number, power } from "../numbers.js";

const SWEEP_EVERY = 1000;
const SWEEP_AFTER = 600; // of a change that stays
const TRIES = 3; // comparisons of the same ledger, when the server is too busy or has to make something ready first
const AGAIN_AFTER = 3000;
const UNCHANGED = "no trims or changes";

export const balance = (page, shared) => ({
  balance: null,
  comparing: true,
  unanswered: null, // why the last comparison failed
  searchingOn: false, // for causes, where the usual search stops
  searchedOn: false,

  verdicts: {}, // of all frames, as workers found them with these rows and files
  sweepOpen: 0, // frames that are still to be compared

  openBalance() {
    shared.contributing = new Newest(() => this.fetchContributions());
    this.forgetSweep();
  },
  // A verdict is that of its ledger and frame: after a change there is none until the next answer.
  // first: what has the server to itself until it is done.
  async account(first) {
    this.comparing = true;
    this.balance = null;
    this.searchedOn = false;
    this.unanswered = null;
    shared.tries = 0;
    await first;
    shared.contributing.ask({});
  },
  async fetchContributions() {
    const ledger = shared.ledgers.current;
    const { frame, question } = this;
    const isCurrent = () => ledger === shared.ledgers.current && frame === this.frame; // else the next question is on its way
    try {
      const contributions = await (await post(page.urls.contributions, question)).json();
      if (!isCurrent()) return;
      this.contributions = contributions;
      this.words = contributions.words;
      const found = await (await post(page.urls.balance, question)).json();
      if (!isCurrent()) return;
      this.balance = found;
      this.comparing = false;
      this.unanswered = null;
      this.countAgain(); // last: nobody waits for it
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      if (!isCurrent()) return;
      this.unanswered = error;
      const passes = error.code.startsWith("work.") || error.code === "unreachable"; // the same ledger may be answered later
      if (passes && ++shared.tries < TRIES) setTimeout(() => this.unanswered === error && shared.contributing.ask({}), AGAIN_AFTER);
    }
  },
  // All frames, compared by workers; what was found goes on counting while rows and files stay.
  sweep() { return this.askSweep(this.sweepOpen ? "stop" : "begin"); },
  async askSweep(action) {
    clearTimeout(shared.sweepTimer);
    const ledger = shared.ledgers.current;
    await this.guarded(async () => {
      const { open, verdicts } = await (await post(page.urls.sweep, { ...this.question, action })).json();
      if (ledger !== shared.ledgers.current) return;
      this.sweepOpen = open;
      this.verdicts = verdicts;
      this.showRibbon();
      if (open) shared.sweepTimer = setTimeout(() => this.askSweep("state"), SWEEP_EVERY);
    });
  },
  // Other rows, other verdicts: those of the rows as they are now, if they were compared before.
  forgetSweep() {
    this.verdicts = {};
    this.sweepOpen = 0;
    this.showRibbon();
    clearTimeout(shared.sweepTimer);
    shared.sweepTimer = setTimeout(() => this.askSweep("state"), SWEEP_AFTER);
  },
  framesSaid(...words) { return this.frames.filter((frame) => words.includes(this.verdicts[frame])); },
  get ribbonVerdicts() { return { sound: new Set(this.framesSaid("sound")), broken: new Set(this.framesSaid("broken", "unread")) }; },
  get sweepText() { return this.sweepOpen ? `Stop (${Object.keys(this.verdicts).length} of ${this.frames.length})` : "All frames"; },
  get sweeping() { return this.sweepOpen > 0; },
  get sweptText() {
    const [sound, broken, unread] = ["sound", "broken", "unread"].map((word) => this.framesSaid(word));
    const parts = [];
    if (sound.length) parts.push(`${sound.length} balanced`);
    if (broken.length) parts.push(`${broken.length} not balanced, the first ${broken[0]}`);
    if (unread.length) parts.push(`${unread.length} not compared, the first ${unread[0]}`);
    const left = this.frames.length - sound.length - broken.length - unread.length;
    if (parts.length && left) parts.push(`${left} not looked at`);
    return parts.join("; ");
  },
  get question() {
    return { ledgerId: page.ledgerId, ledger: shared.ledgers.current, frame: this.frame, view: this.viewName };
  },
  // Of several layers: what their sum is compared with.
  get landingText() {
    if (this.ledger.reference.length) return "compared with the beauties of the layers, laid together";
    const layered = this.ledger.rows.some(({ alpha }) => alpha);
    return layered ? `compared with ${this.sourceOf({ source: this.ledger.beauty })?.elementName ?? "a render of everything"}` : "";
  },
  showDifference() {
    this.show("difference");
    if (this.balance) this.lookAt(this.balance.x, this.balance.y);
  },
  get rebuiltMean() { return this.balance ? number(this.balance.rebuilt_mean) : "…"; },
  get renderedMean() { return this.balance ? number(this.balance.rendered_mean) : "…"; },
  get differenceText() {
    const { difference, x, y } = this.balance ?? {};
    return difference ? `${power(difference.largest)} at ${x}, ${y}` : "…";
  },
  get differenceMean() { return this.balance ? power(this.balance.difference.mean) : "…"; },
  get trimmedText() {
    const trimmed = this.balance?.trimmed;
    if (!trimmed) return "…";
    return trimmed.difference.largest === this.balance.difference.largest && trimmed.mean === this.balance.rebuilt_mean
      ? UNCHANGED
      : `mean ${number(trimmed.mean)}, up to ${power(trimmed.difference.largest)} from rendered`;
  },
  // What the changes stand for, had they been rendered.
  get savedText() { return page.renderAgain && this.balance?.trimmed && this.trimmedText !== UNCHANGED ? `instead of rendering again: ${page.renderAgain}` : ""; },
  get verdict() {
    if (this.unanswered) return `not compared: ${this.unanswered.what}`;
    if (!this.balance || this.comparing) return "comparing…";
    return this.balance.verdict;
  },
  get verdictAdvice() { return this.unanswered ? `${this.unanswered.where} ${this.unanswered.advice}`.trim() : ""; },
  get verdictClass() {
    if (!this.balance || this.comparing || this.balance.balanced) return "";
    return this.balance.nearly ? "nearly" : "off";
  },
  get verdictIcon() {
    if (this.unanswered) return "bi-exclamation-diamond-fill";
    if (!this.balance || this.comparing) return "bi-hourglass-split";
    if (this.balance.balanced) return "bi-check-lg";
    return this.balance.nearly ? "bi-check2-circle" : "bi-exclamation-diamond-fill";
  },
  get suggestions() { return this.balance?.suggestions ?? []; },
  // Where the search for causes stopped, and going on from there.
  get stoppedText() { return this.searchingOn ? "Searching on…" : this.balance?.stopped ?? ""; },
  get maySearchOn() { return !this.searchingOn && !this.searchedOn && Boolean(this.balance?.stopped); },
  async searchOn() {
    const ledger = shared.ledgers.current;
    const { frame } = this;
    this.searchingOn = true;
    await this.guarded(async () => {
      const found = await (await post(page.urls.balance, { ...this.question, thorough: true })).json();
      if (ledger === shared.ledgers.current && frame === this.frame) [this.balance, this.searchedOn] = [found, true];
    });
    this.searchingOn = false;
  },
});
