// The ledger kept: saved by itself, undone and redone, its versions, the files it is laid on.
import { get, post } from "../api.js";
import { Kept } from "../kept.js";
import { byRef, nextTick, reactive } from "../reactive.js";

const MOST_SAID = 6; // changes told of another one's ledger

/** @typedef {ReturnType<typeof createEditor>} Editor */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {() => string} uses.view under which it is looked at
 * @param {(more: object) => void} uses.onSlide the picture follows a change that is still going on
 * @param {() => Promise<any>} uses.onChange the picture of what was changed, asked for before anything is drawn anew
 * @param {(picture: Promise<any>) => void} uses.onChanged the document is another one
 */
export const createEditor = (page, { notices, frames, view, onSlide, onChange, onChanged }) => {
  let sliding = null; // the document as it is while a number slides
  const kept = new Kept({
    document: page.ledger,
    revision: page.revision,
    url: page.urls.save,
    field: "ledger",
    extra: { ledgerId: page.ledgerId },
    say: (state) => editor.say(state),
    onFault: (error) => editor.saveFailed(error),
  });
  kept.takeHistory(page.urls.save);

  const editor = reactive({
    document: page.ledger,
    version: page.version,
    versions: page.versions,
    element: page.element,
    elements: page.elements,
    mayChange: page.mayChange,
    theirs: null,
    replacing: null, // what would take the ledger's place, until somebody says so
    namingVersion: false,
    versionComment: "",
    canUndo: kept.canUndo,
    canRedo: kept.canRedo,

    // As it is now; methods, since what a part holds would be followed deeply.
    current() { return kept.current; },
    sliding() { return sliding; },
    shown() { return sliding ?? kept.current; },
    question() {
      return { ledgerId: page.ledgerId, ledger: kept.current, frame: frames.current, view: view() };
    },

    undo() {
      kept.undo();
      this.adopt();
    },
    redo() {
      kept.redo();
      this.adopt();
    },

    // While a number slides only the picture follows: to draw all rows anew would take longer than the picture.
    preview(ledger, edited) {
      sliding = ledger;
      onSlide({ edited });
    },
    commit(ledger) {
      kept.change(ledger);
      this.adopt();
    },
    adopt() {
      sliding = null;
      const picture = onChange(); // first: the server works while the rows are drawn anew
      this.document = kept.current;
      this.canUndo = kept.canUndo;
      this.canRedo = kept.canRedo;
      notices.remark = "";
      onChanged(picture);
    },
    // Somebody else changed the ledger since this page read it. Changes that do not meet are joined; else a person says
    // which go on.
    saveFailed(error) {
      if (error.theirs?.merged) {
        const { revision, ledger, merged } = error.theirs;
        kept.adopt({ revision, document: merged, base: ledger });
        this.adopt();
        notices.remark = `${this.saidOf(error.theirs)} Your changes are kept beside them.`;
      } else if (error.theirs) this.theirs = error.theirs;
      else notices.fault = error;
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
      await notices.guarded(async () => {
        await this.keepAs(`mine, before ${by}'s was taken`, { ledger: kept.current });
        this.theirs = null;
        kept.adopt({ revision, document: ledger, base: ledger });
        this.adopt();
      });
    },
    keepMine() {
      const { revision, ledger } = this.theirs;
      this.theirs = null;
      kept.adopt({ revision, base: ledger });
    },

    // Whatever takes the ledger's place is asked for first, and what was there stays as a version.
    askToReplace(text, make) { this.replacing = { text, make }; },
    get replacingText() {
      return this.replacing ? `${this.replacing.text} The ledger as it is now is kept as a version.` : "";
    },
    leaveReplacing() { this.replacing = null; },
    async replace() {
      const { text, make } = this.replacing;
      this.replacing = null;
      await notices.guarded(async () => {
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
      this.namingVersion = !this.namingVersion;
      if (this.namingVersion) nextTick(() => byRef("versionComment").focus());
    },
    async saved() {
      await kept.now();
      return !kept.unsaved;
    },
    async keepVersion() {
      await notices.guarded(async () => {
        if (!(await this.saved())) return; // a version of what others saved would not be of this
        await this.keepAs(this.versionComment);
        this.versionComment = "";
        this.namingVersion = false;
        this.say("kept");
      });
    },
    versionText(version) {
      const by = version.author ? ` · ${version.author}` : "";
      const from =
        version.base && version.base !== version.number - 1
          ? ` · goes on from v${String(version.base).padStart(3, "0")}`
          : "";
      const made = version.made.slice(0, 16).replace("T", " ");
      return `${version.label}${from} · ${made}${by}${version.comment ? ` · ${version.comment}` : ""}`;
    },
    loadVersion(event) {
      const number = event.target.value;
      event.target.value = "";
      if (!number) return;
      const label = `v${String(number).padStart(3, "0")}`;
      this.askToReplace(`Go back to ${label}?`, async () => {
        const { ledger, changes } = await (await get(`${page.urls.version}${page.ledgerId}/${number}/`)).json();
        this.commit(ledger);
        notices.remark = `Back at ${label}. Undone since then: ${changes.join("; ") || "nothing"}.`;
      });
    },
    chooseElement(event) {
      const element = Number(event.target.value);
      event.target.value = String(this.element);
      const { name } = this.elements.find(({ id }) => id === element);
      this.askToReplace(`Apply the ledger to ${name}?`, async () => {
        const answer = await post(page.urls.element, { ...this.question(), element });
        kept.change((await answer.json()).ledger);
        if (!(await this.saved())) return;
        kept.keepHistory(page.urls.save);
        window.location.reload();
      });
    },
    // What was changed a moment ago is saved before the page is left for one that reads what is saved.
    async leaveFor(event, address) {
      if (!kept.unsaved) return;
      event.preventDefault();
      if (await this.saved()) window.location.assign(address);
    },
    say(state) {
      const text = `ledger “${this.document.name}” ${this.version} · ${state}`;
      window.dispatchEvent(new CustomEvent("eager:keeping", { detail: text }));
    },
  });
  editor.say(page.mayChange ? "saved" : "read-only");
  return editor;
};
