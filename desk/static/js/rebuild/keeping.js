// The ledger kept: saved by itself, undone and redone, its versions, the files it is laid on.
import { get, post } from "../api.js";
import { Kept } from "../kept.js";

const MOST_SAID = 6; // changes told of another one's ledger

export const keeping = (page, held) => ({
  ledger: page.ledger,
  version: page.version,
  versions: page.versions,
  element: page.element,
  elements: page.elements,
  mayChange: page.mayChange,
  theirs: null,
  keepingVersion: false,
  versionComment: "",
  canUndo: false,
  canRedo: false,

  openKeeping() {
    held.kept = new Kept({
      document: page.ledger,
      revision: page.revision,
      url: page.urls.save,
      field: "ledger",
      extra: { ledgerId: page.ledgerId },
      say: (state) => this.say(state),
      onFault: (error) => this.saveFailed(error),
    });
    held.kept.takeHistory(page.urls.save);
    this.canUndo = held.kept.canUndo;
    this.canRedo = held.kept.canRedo;
    this.say(page.mayChange ? "saved" : "read-only");
  },
  undo() {
    held.kept.undo();
    this.adopt();
  },
  redo() {
    held.kept.redo();
    this.adopt();
  },

  // While a number slides only the picture follows: to draw all rows anew would take longer than the picture.
  preview(ledger, edited) {
    held.sliding = ledger;
    this.askSliding({ edited });
  },
  commit(ledger) {
    held.kept.change(ledger);
    this.adopt();
  },
  adopt() {
    held.sliding = null;
    this.mindMatte();
    // First: the server works while the rows are drawn anew.
    const picture = this.shown.show === "matte" ? this.askQuickly() : this.askPicture({});
    this.ledger = held.kept.current;
    this.canUndo = held.kept.canUndo;
    this.canRedo = held.kept.canRedo;
    this.remark = "";
    this.forgetSweep();
    this.account(picture);
    picture.then(() => this.askProbe());
  },
  // Somebody else changed the ledger since this page read it: which of the two goes on is for a person to say.
  saveFailed(error) {
    if (error.theirs) this.theirs = error.theirs;
    else this.fault = error;
  },
  get theirsText() {
    if (!this.theirs) return "";
    const { by, at, changes } = this.theirs;
    const said = changes.slice(0, MOST_SAID).join("; ") + (changes.length > MOST_SAID ? "; and more" : "");
    return `${by} changed this ledger at ${at.slice(11, 16)}: ${said || "nothing that differs from yours"}.`;
  },
  takeTheirs() {
    const { revision, ledger } = this.theirs;
    this.theirs = null;
    held.kept.adopt({ revision, document: ledger });
    this.adopt();
  },
  keepMine() {
    const { revision } = this.theirs;
    this.theirs = null;
    held.kept.adopt({ revision });
  },
  askVersion() {
    this.keepingVersion = !this.keepingVersion;
    if (this.keepingVersion) this.$nextTick(() => this.$refs.versionComment.focus());
  },
  async saved() {
    await held.kept.now();
    return !held.kept.unsaved;
  },
  async keepVersion() {
    await this.guarded(async () => {
      if (!(await this.saved())) return; // a version of what others saved would not be of this
      const comment = this.versionComment;
      const version = await (await post(page.urls.version, { ledgerId: page.ledgerId, comment })).json();
      this.versionComment = "";
      this.keepingVersion = false;
      this.version = version.label;
      if (!this.versions.some((known) => known.number === version.number)) this.versions.unshift(version);
      this.say("kept");
    });
  },
  versionText(version) {
    const by = version.author ? ` · ${version.author}` : "";
    const from = version.base && version.base !== version.number - 1 ? ` · goes on from v${String(version.base).padStart(3, "0")}` : "";
    return `${version.label}${from} · ${version.made.slice(0, 16).replace("T", " ")}${by}${version.comment ? ` · ${version.comment}` : ""}`;
  },
  async loadVersion(event) {
    const number = event.target.value;
    event.target.value = "";
    if (!number) return;
    await this.guarded(async () => {
      const { ledger, changes } = await (await get(`${page.urls.version}${page.ledgerId}/${number}/`)).json();
      this.commit(ledger);
      this.remark = `Back at v${String(number).padStart(3, "0")}. Undone since then: ${changes.join("; ") || "nothing"}.`;
    });
  },
  async chooseElement(event) {
    await this.guarded(async () => {
      const element = Number(event.target.value);
      const answer = await post(page.urls.element, { ...this.question, element });
      held.kept.change((await answer.json()).ledger);
      if (!(await this.saved())) return;
      held.kept.keepHistory(page.urls.save);
      window.location.reload();
    });
    if (this.fault) event.target.value = String(this.element);
  },
  say(state) {
    const text = `ledger “${this.ledger.name}” ${this.version} · ${state}`;
    window.dispatchEvent(new CustomEvent("eager:keeping", { detail: text }));
  },

  // What was changed a moment ago is saved before the page is left for Hand-off, which writes what is saved.
  async handOff(event) {
    if (!held.kept.unsaved) return;
    event.preventDefault();
    await held.kept.now();
    if (!held.kept.unsaved) window.location.assign(this.handoffUrl);
  },
});
