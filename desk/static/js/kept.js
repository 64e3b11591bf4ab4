// A document that is undone, redone and saved by itself; a save names the revision it builds on.
import { ofFault, post } from "./api.js";
import { History } from "./history.js";
import { Newest } from "./newest.js";

const SAVE_AFTER = 350;
const KEPT_PAST = 50; // steps back that outlast loading the page anew

export class Kept {
  // field: under which name the document is sent. say: hears saving, saved or not saved. onFault: hears what went
  // wrong. base: what the newest revision holds, for changes of two people to be joined.
  constructor({ document, revision, url, field, extra = {}, say, onFault }) {
    this.revision = revision;
    this.base = document;
    this.url = url;
    this.field = field;
    this.extra = extra;
    this.say = say;
    this.onFault = onFault;
    this.history = new History(document);
    this.saves = new Newest((entry) => this.store(entry));
    this.coming = 0; // changes the page is still checking before it makes them
    this.unsaved = false;
    this.failed = false;
    this.timer = 0;
    window.addEventListener("beforeunload", (event) => {
      if (!this.behind) return;
      clearTimeout(this.timer);
      if (this.unsaved) this.store(this.current, { leaving: true });
      event.preventDefault();
    });
  }

  get behind() { return this.unsaved || this.coming > 0; }
  get state() { return this.failed ? "not saved" : this.behind ? "saving" : "saved"; }
  get current() { return this.history.current; }
  get canUndo() { return this.history.past.length > 0; }
  get canRedo() { return this.history.future.length > 0; }

  change(document) {
    this.history.change(document);
    this.later();
  }

  undo() {
    this.history.undo();
    this.later();
  }

  redo() {
    this.history.redo();
    this.later();
  }

  later() {
    this.unsaved = true;
    this.say(this.state);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.saves.ask(this.current), SAVE_AFTER);
  }

  // Saved now, for what must see the newest state.
  async now() {
    clearTimeout(this.timer);
    await this.saves.ask(this.current);
  }

  /**
   * What somebody else saved meanwhile is taken in place of ours, which stays one undo away; or ours goes on top of it.
   * @param {{ revision: number, document?: any, base?: any }} theirs
   */
  adopt({ revision, document, base }) {
    this.revision = revision;
    this.base = base ?? this.base;
    if (document) this.history.change(document);
    this.failed = false;
    this.later();
  }

  // Undo goes on after the page was loaded anew for other files.
  keepHistory(name) {
    const { past, future } = this.history;
    sessionStorage.setItem(name, JSON.stringify({ revision: this.revision, past: past.slice(-KEPT_PAST), future }));
  }
  takeHistory(name) {
    const kept = JSON.parse(sessionStorage.getItem(name) ?? "null");
    sessionStorage.removeItem(name);
    if (kept?.revision === this.revision) Object.assign(this.history, { past: kept.past, future: kept.future });
  }

  async store(document, { leaving = false } = {}) {
    try {
      const body = { ...this.extra, [this.field]: document, base: this.base, revision: this.revision };
      const answer = await post(this.url, body, { leaving });
      this.revision = (await answer.json()).revision;
      this.base = document;
      this.unsaved = document !== this.current;
      this.failed = false;
      this.say(this.state);
    } catch (error) {
      this.failed = true;
      this.say(this.state);
      this.onFault(ofFault(error));
    }
  }
}
