// The ledger kept: saved by itself, undone and redone, its versions, the files it is laid on.
import { get, post } from "../api.js";
import { Kept } from "../kept.js";

export const keeping = (page, held) => ({
  ledger: page.ledger,
  version: page.version,
  versions: page.versions,
  element: page.element,
  elements: page.elements,
  mayChange: page.mayChange,
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
      onFault: (error) => (this.fault = error),
    });
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
    this.askPicture({}); // first: the server works while the rows are drawn anew
    this.ledger = held.kept.current;
    this.canUndo = held.kept.canUndo;
    this.canRedo = held.kept.canRedo;
    this.remark = "";
    this.showRibbon();
    this.account();
    this.askProbe();
  },
  async keepVersion() {
    await this.guarded(async () => {
      await held.kept.now();
      const version = await (await post(page.urls.version, { ledgerId: page.ledgerId })).json();
      this.version = version.label;
      if (!this.versions.some((known) => known.number === version.number)) this.versions.unshift(version);
      this.say("kept");
    });
  },
  versionText(version) { return `${version.label} · ${version.made.slice(0, 16).replace("T", " ")}`; },
  async loadVersion(event) {
    const number = event.target.value;
    event.target.value = "";
    if (!number) return;
    await this.guarded(async () => {
      const answer = await get(`${page.urls.version}${page.ledgerId}/${number}/`);
      this.commit((await answer.json()).ledger);
    });
  },
  async chooseElement(event) {
    await this.guarded(async () => {
      await post(page.urls.element, { ledgerId: page.ledgerId, element: Number(event.target.value) });
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
