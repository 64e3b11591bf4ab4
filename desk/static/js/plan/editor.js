// The plan as it is changed: answered at every change with its files and findings, and saved by itself.
import { Fault, ofFault, post } from "../api.js";
import { Kept } from "../kept.js";
import { reactive } from "../reactive.js";
import { fieldOf, tag, withFields } from "./fields.js";

/** @typedef {ReturnType<typeof createEditor>} Editor */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {(plan: any) => any} uses.unlocked the plan itself, or as the next version if its own is locked
 * @param {() => void} uses.onAdopt plan or answer are new
 */
export const createEditor = (page, { notices, unlocked, onAdopt }) => {
  let changes = Promise.resolve();
  let answered = null; // what the newest plan was answered with
  let undrawn = false; // whether the page shows an older plan than is kept
  const kept = new Kept({
    document: page.plan,
    revision: page.revision,
    url: page.urls.save,
    field: "plan",
    say: (state) => editor.say(state),
    onFault: (error) => (notices.fault = error),
  });

  const editor = reactive({
    plan: page.plan,
    answer: Object.freeze(page.answer), // frozen, so that thousands of files are not watched one by one
    scene: page.scene,
    mayChange: page.mayChange,
    canUndo: false,
    canRedo: false,

    current() { return kept.current; },
    // Saved now, for what must see the newest plan.
    save() { return kept.now(); },
    say(state) {
      window.dispatchEvent(new CustomEvent("eager:keeping", { detail: `plan ${tag(this.plan.number)} · ${state}` }));
    },

    // A change is a function from the plan to the fields that become different. Changes wait for each other, so that
    // quick ones build on one another; each is first answered, and kept only if the plan is sound enough to be one.
    change(fieldsOf) {
      return this.inTurn(async () => {
        const changed = withFields(kept.current, fieldsOf(kept.current));
        const plan = unlocked(changed);
        answered = await this.ask(plan);
        kept.change(plan);
      });
    },
    put(name, value) { return this.change(() => ({ [name]: value })); },
    typed(name, { target }) {
      if (target.type === "checkbox") this.put(name, target.checked);
      else this.put(name, target.dataset.number === undefined ? target.value.trim() : Number(target.value));
    },
    at(name) { return fieldOf(this.plan, name); },
    is(name, value) { return fieldOf(this.plan, name) === value; },
    undo() { this.inTurn(() => this.stepped(() => kept.undo())); },
    redo() { this.inTurn(() => this.stepped(() => kept.redo())); },
    async stepped(step) {
      step();
      answered = await this.ask(kept.current);
    },
    inTurn(work) {
      kept.coming += 1; // from here on the page differs from what is stored
      this.say(kept.state);
      const carried = changes.then(work);
      changes = carried
        .then(
          () => null,
          (error) => error,
        )
        .then((error) => {
          kept.coming -= 1;
          undrawn ||= !error;
          // Drawn once for quick changes, so that none is seen to be taken back
          if (undrawn && !kept.coming) this.adopt();
          if (error instanceof Fault) notices.fault = error; // what was typed stays
          else if (error) reportError(error);
          this.say(kept.state);
        });
      return changes;
    },
    // Resolves once every change so far is part of the plan.
    settled() { return changes; },
    async ask(plan) { return Object.freeze(await (await post(page.urls.answer, { plan })).json()); },
    adopt() {
      undrawn = false;
      this.plan = kept.current;
      this.answer = answered ?? this.answer;
      this.canUndo = kept.canUndo;
      this.canRedo = kept.canRedo;
      notices.fault = null;
      onAdopt();
    },
    async refresh() {
      this.answer = await this.ask(this.plan);
      onAdopt();
    },
    async attempt(work) {
      notices.fault = null;
      try {
        return await work();
      } catch (error) {
        notices.fault = ofFault(error);
        return null;
      }
    },
    key(event) {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
      event.preventDefault();
      if (event.shiftKey && this.canRedo) this.redo();
      else if (!event.shiftKey && this.canUndo) this.undo();
    },
  });
  editor.say(page.mayChange ? "saved" : "read-only");
  return editor;
};
