// The account of the ledger: what each row gives, and whether the sum lands on what was rendered.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { number, power } from "../numbers.js";

const UNCHANGED = "no trims or changes";

export const balance = (page, held) => ({
  balance: null,
  comparing: true,
  unanswered: false, // the last comparison failed; the fault says why

  sweeping: false, // frame after frame is held against what was rendered
  sound: [], // frames of which that was said with this ledger
  broken: [],
  unread: [], // that could not be compared

  openBalance() {
    held.contributing = new Newest(() => this.fetchContributions());
  },
  // A verdict is that of its ledger and frame: after a change there is none until the next answer.
  account() {
    this.comparing = true;
    this.balance = null;
    held.contributing.ask({});
  },
  async fetchContributions() {
    this.unanswered = true;
    await this.guarded(async () => {
      const ledger = held.kept.current;
      const { frame } = this;
      const { question } = this;
      this.contributions = await (await post(page.urls.contributions, question)).json();
      this.words = this.contributions.words;
      this.balance = await (await post(page.urls.balance, question)).json();
      this.comparing = ledger !== held.kept.current || frame !== this.frame;
      this.unanswered = false;
    });
  },
  // All frames, one after another; stopped by a second press, or by any change of the ledger.
  async sweep() {
    this.sweeping = !this.sweeping;
    if (!this.sweeping) return;
    this.forgetSweep();
    const ledger = held.kept.current;
    for (const frame of this.frames) {
      const said = await this.sweptFrame(frame);
      if (!this.sweeping || ledger !== held.kept.current) break;
      this[said] = [...this[said], frame];
      this.showRibbon();
    }
    this.sweeping = false;
  },
  // A fault of another frame says nothing of the one that is shown.
  async sweptFrame(frame) {
    try {
      const { balanced } = await (await post(page.urls.balance, { ...this.question, frame })).json();
      return balanced ? "sound" : "broken";
    } catch {
      return "unread";
    }
  },
  forgetSweep() {
    this.sound = [];
    this.broken = [];
    this.unread = [];
    this.showRibbon();
  },
  get ribbonVerdicts() { return { sound: new Set(this.sound), broken: new Set([...this.broken, ...this.unread]) }; },
  get swept() { return this.sound.length + this.broken.length + this.unread.length; },
  get sweepText() { return this.sweeping ? `Stop (${this.swept} of ${this.frames.length})` : "All frames"; },
  get sweptText() {
    const parts = [];
    if (this.sound.length) parts.push(`${this.sound.length} balanced`);
    if (this.broken.length) parts.push(`${this.broken.length} not balanced, the first ${this.broken[0]}`);
    if (this.unread.length) parts.push(`${this.unread.length} not compared, the first ${this.unread[0]}`);
    return parts.join("; ");
  },
  get question() {
    return { ledgerId: page.ledgerId, ledger: held.kept.current, frame: this.frame, view: this.viewName };
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
    if (this.unanswered && this.fault) return "not compared";
    if (!this.balance || this.comparing) return "comparing…";
    if (this.balance.balanced) return `balanced within ${this.balance.rounding} rounding`;
    return `not balanced: ${this.wrongText}`;
  },
  get wrongText() {
    const { beyond, beyond_alpha: alpha, not_finite: strange, rounding } = this.balance;
    const parts = [];
    if (beyond) parts.push(`${beyond} pixels differ by more than ${rounding} rounding${alpha ? ` (${alpha} in alpha)` : ""}`);
    if (strange) parts.push(`${strange} pixels hold no number or infinity`);
    return parts.join("; ");
  },
  get verdictClass() { return this.balance && !this.comparing && !this.balance.balanced ? "off" : ""; },
  get verdictIcon() {
    if (this.unanswered && this.fault) return "bi-exclamation-diamond-fill";
    if (!this.balance || this.comparing) return "bi-hourglass-split";
    return this.balance.balanced ? "bi-check-lg" : "bi-exclamation-diamond-fill";
  },
  get suggestions() { return this.balance?.suggestions ?? []; },
});
