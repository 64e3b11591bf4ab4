// The ledger kept: saved by itself, undone and redone, its versions, the files it is laid on.
import { get, post } from "../api.js";
import { Kept } from "../kept.js";

const MOST_SAID = 6; // changes told of another one's ledger

export const keeping = (page, shared) => ({
  ledger: page.ledger,
  version: page.version,
  versions: page.versions,
  element: page.element,
  elements: page.elements,
  mayChange: page.mayChange,
  theirs: null,
  replacing: null, // what would take the ledger's place, until somebody says so
  keepingVersion: false,
  versionComment: "",
  canUndo: false,
  canRedo: false,

  openKeeping() {
    shared.ledgers = new Kept({
      document: page.ledger,
      revision: page.revision,
      url: page.urls.save,
      field: "ledger",
      extra: { ledgerId: page.ledgerId },
      say: (state) => this.say(state),
      onFault: (error) => this.saveFailed(error),
    });
    shared.ledgers.takeHistory(page.urls.save);
    this.canUndo = shared.ledgers.canUndo;
    this.canRedo = shared.ledgers.canRedo;
    this.say(page.mayChange ? "saved" : "read-only");
  },
  undo() {
    shared.ledgers.undo();
    this.adopt();
  },
  redo() {
    shared.ledgers.redo();
    this.adopt();
  },

  // While a number slides only the picture follows: to draw all rows anew would take longer than the picture.
  preview(ledger, edited) {
    shared.sliding = ledger;
    this.askSliding({ edited });
  },
  commit(ledger) {
    shared.ledgers.change(ledger);
    this.adopt();
  },
  adopt() {
    shared.sliding = null;
    this.mindMatte();
    // First: the server works while the rows are drawn anew.
    const picture = this.shown.show === "matte" ? this.askQuickly() : this.askPicture({});
    this.ledger = shared.ledgers.current;
    this.canUndo = shared.ledgers.canUndo;
    this.canRedo = shared.ledgers.canRedo;
    this.remark = "";
    this.forgetSweep();
    this.account(picture);
    picture.then(() => this.askProbe());
  },
  // Somebody else changed the ledger since this page read it. Changes that do not meet are joined; else a person says which go on.
  saveFailed(error) {
    if (error.theirs?.merged) {
      const { revision, ledger, merged } = error.theirs;
      shared.ledgers.adopt({ revision, document: merged, base: ledger });
      this.adopt();
      this.remark = `${this.saidOf(error.theirs)} Your changes are kept beside them.`;
    } else if (error.theirs) this.theirs = error.theirs;
    else this.fault = error;
  },
  saidOf({ by, at, changes }) {
    const said = changes.slice(0, MOST_SAID).join("; ") + (changes.length > MOST_SAID ? "; and more" : "");
    return `${by} changed this ledger at ${at.slice(11, 16)}: ${said || "nothing that differs from yours"}.`;
  },
  get theirsText() {
    if (!this.theirs) return "";
    const meeting = this.theirs.meeting.slice(0, MOST_SAID).join("; ");
    return this.saidOf(this.theirs) + (meeting ? ` Both of you changed: ${meeting}.` : "");
  },
  async takeTheirs() {
    const { by, revision, ledger } = this.theirs;
    await this.guarded(async () => {
      await this.keepAs(`mine, before ${by}'s was taken`, { ledger: shared.ledgers.current });
      this.theirs = null;
      shared.ledgers.adopt({ revision, document: ledger, base: ledger });
      this.adopt();
    });
  },
  keepMine() {
    const { revision, ledger } = this.theirs;
    this.theirs = null;
    shared.ledgers.adopt({ revision, base: ledger });
  },

  // Whatever takes the ledger's place is asked for first, and what was there stays as a version.
  askToReplace(text, make) { this.replacing = { text, make }; },
  get replacingText() { return this.replacing ? `${this.replacing.text} The ledger as it is now is kept as a version.` : ""; },
  leaveReplacing() { this.replacing = null; },
  async replace() {
    const { text, make } = this.replacing;
    this.replacing = null;
    await this.guarded(async () => {
      if (await this.keptBefore(text)) await make();
    });
  },
  async keptBefore(text) {
    if (!(await this.saved())) return false;
    await this.keepAs(`before: ${text}`);
    return true;
  },
  async keepAs(comment, more = {}) {
    const version = await (await post(page.urls.version, { ledgerId: page.ledgerId, comment, ...more })).json();
    this.version = version.label;
    if (!this.versions.some((known) => known.number === version.number)) this.versions.unshift(version);
  },
  askVersion() {
    this.keepingVersion = !this.keepingVersion;
    if (this.keepingVersion) this.$nextTick(() => this.$refs.versionComment.focus());
  },
  async saved() {
    await shared.ledgers.now();
    return !shared.ledgers.unsaved;
  },
  async keepVersion() {
    await this.guarded(async () => {
      if (!(await this.saved())) return; // a version of what others saved would not be of this
      await this.keepAs(this.versionComment);
      this.versionComment = "";
      this.keepingVersion = false;
      this.say("kept");
    });
  },
  versionText(version) {
    const by = version.author ? ` · ${version.author}` : "";
    const from = version.base && version.base !== version.number - 1 ? ` · goes on from v${String(version.base).padStart(3, "0")}` : "";
    return `${version.label}${from} · ${version.made.slice(0, 16).replace("T", " ")}${by}${version.comment ? ` · ${version.comment}` : ""}`;
  },
  loadVersion(event) {
    const number = event.target.value;
    event.target.value = "";
    if (!number) return;
    const label = `v${String(number).padStart(3, "0")}`;
    this.askToReplace(`Go back to ${label}?`, async () => {
      const { ledger, changes } = await (await get(`${page.urls.version}${page.ledgerId}/${number}/`)).json();
      this.commit(ledger);
      this.remark = `Back at ${label}. Undone since then: ${changes.join("; ") || "nothing"}.`;
    });
  },
  chooseElement(event) {
    const element = Number(event.target.value);
    event.target.value = String(this.element);
    const { name } = this.elements.find(({ id }) => id === element);
    this.askToReplace(`Apply the ledger to ${name}?`, async () => {
      const answer = await post(page.urls.element, { ...this.question, element });
      shared.ledgers.change((await answer.json()).ledger);
      if (!(await this.saved())) return;
      shared.ledgers.keepHistory(page.urls.save);
      window.location.reload();
    });
  },
  say(state) {
    const text = `ledger “${this.ledger.name}” ${this.version} · ${state}`;
    window.dispatchEvent(new CustomEvent("eager:keeping", { detail: text }));
  },

  // What was changed a moment ago is saved before the page is left for Hand-off, which writes what is saved.
  async handOff(event) {
    if (!shared.ledgers.unsaved) return;
    event.preventDefault();
    await shared.ledgers.now();
    if (!shared.ledgers.unsaved) window.location.assign(this.handoffUrl);
  },
});
