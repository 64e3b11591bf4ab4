// What is shown of the finish: all of it, the picture before it, one side of a step, the matte of the open one.
import { reactive } from "../reactive.js";
import { findStep } from "./chain.js";

const STAGES = { finished: "finished", rebuilt: "rebuilt" };

/** @typedef {ReturnType<typeof createShown>} Shown */

/**
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {import("./steps.js").Steps} uses.steps
 * @param {import("../viewer/comparing.js").Comparing} uses.comparing
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 */
export const createShown = ({ editor, steps, comparing, picture }) => reactive({
  at: { show: "finished", key: "" },
  matteShown: false, // that of the step that is open

  get subject() {
    const matte = steps.opened?.matte;
    if (this.matteShown && matte) return { kind: "matte", matte, way: "tint", colour: "#ff9a3c" };
    return { kind: "finish", ...this.at };
  },
  get title() {
    const { show, key } = this.at;
    if (this.matteShown && steps.opened?.matte) return `matte ${steps.opened.matte}`;
    return key ? `${show} ${steps.nameOf(findStep(editor.document, key))}` : STAGES[show];
  },
  get probeKey() { return this.at.show === "rebuilt" ? "rebuilt" : "finished"; },
  isStage(show) { return this.at.show === show; },
  show(show, key = "") {
    this.at = { show, key };
    picture.refresh();
  },
  get origins() {
    const { finish } = editor.document;
    const stages = finish.flatMap((step) =>
      ["before", "after"].map((side) => ({ key: `${side}/${step.id}`, text: `${side} ${steps.nameOf(step)}` })),
    );
    const own = {
      id: "own",
      text: "this finish",
      items: [{ key: "rebuilt", text: "rebuilt" }, { key: "finished", text: "finished" }, ...stages],
    };
    const rendered = { id: "ledger", text: "the ledger", items: [{ key: "rendered", text: "rendered" }] };
    const versions = editor.versions.map(({ number, label }) => ({
      id: `v${number}`,
      text: `ledger ${label}`,
      items: [
        { key: "finished", text: "finished" },
        { key: "rebuilt", text: "rebuilt" },
      ],
    }));
    return [own, rendered, ...versions];
  },
  otherSubject({ id }, key) {
    if (id === "ledger") return { kind: "ledger", show: key };
    if (id.startsWith("v")) return { kind: "finish", show: key, version: Number(id.slice(1)) };
    const [show, step] = key.split("/", 2);
    return { kind: "finish", show, key: step ?? "" };
  },
  // Before and after of one step, by a wipe over the picture.
  split(step) {
    if (this.isSplit(step)) {
      comparing.compare("wipe");
      this.show("finished");
      return;
    }
    this.at = { show: "after", key: step.id };
    comparing.setOther({ origin: "own", key: `before/${step.id}` });
    if (comparing.is("wipe")) picture.refresh();
    else comparing.compare("wipe");
    comparing.open = true;
  },
  isSplit(step) { return this.at.show === "after" && this.at.key === step.id && comparing.is("wipe"); },
  // All of the finish, or the picture as it was rebuilt.
  showAll() { this.show(this.isStage("finished") ? "rebuilt" : "finished"); },
  toggleMatte() {
    this.matteShown = !this.matteShown;
    picture.refresh();
  },
  // A step that is not there any more is not shown either.
  forgetRemoved() {
    if (this.at.key && !findStep(editor.current(), this.at.key)) this.at = { show: "finished", key: "" };
  },
});
