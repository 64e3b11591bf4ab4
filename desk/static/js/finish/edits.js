// Steps added, changed and removed.
import { reactive } from "../reactive.js";
import { LISTED } from "../rebuild/settings.js";
import { freeStepId, inOrder, withoutStep, withStep } from "./chain.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {import("../rebuild/sources.js").Sources} uses.sources
 * @param {import("../rebuild/settings.js").Settings} uses.settings
 * @param {import("../rebuild/target-numbers.js").Numbers} uses.numbers
 * @param {import("./steps.js").Steps} uses.steps
 * @param {import("./handles.js").Handles} uses.handles
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createEdits = (page, { editor, sources, settings, numbers, steps, handles, aim, notices }) => reactive({
  get kindsOffered() {
    const entries = Object.entries(page.kinds.steps).map(([kind, { title, meaning, domains }]) => ({
      kind,
      text: `${title}: ${meaning}`,
      domain: domains[0],
    }));
    return [
      ["light", "on light"],
      ["display", "after the view"],
    ].map(([domain, name]) => ({ name, items: entries.filter((entry) => entry.domain === domain) }));
  },
  addChosen(event) {
    const kind = event.target.value;
    event.target.value = "";
    if (!kind) return;
    const fields = this.neededBy(kind);
    if (!fields) return;
    const current = editor.current();
    const id = freeStepId(current, kind);
    const step = { ...page.kinds.steps[kind].blank, ...fields, id };
    steps.openedId = id;
    this.commitInOrder({ ...current, finish: [...current.finish, step] });
    aim.drop();
    handles.aimAtPoint();
  },
  // What is added, or works on something else now, goes where its like stands.
  commitInOrder(ledger) { editor.commit({ ...ledger, finish: inOrder(ledger.finish, page.kinds.steps) }); },
  // The passes that a kind cannot do without; null where there are none.
  neededBy(kind) {
    const main = sources.of({ source: editor.document.beauty })?.element;
    const fields = {};
    for (const { field, lists } of page.kinds.steps[kind].settings.filter(
      ({ takes, optional }) => takes === "source" && !optional,
    )) {
      const found =
        sources.all.find((source) => LISTED[lists](source) && source.element === main) ??
        sources.all.find(LISTED[lists]);
      if (!found) {
        notices.remark = `There is no pass of ${field} here. Switch it on in the plan and render it, or import it.`;
        return null;
      }
      fields[field] = found.key;
    }
    return fields;
  },
  choose(step, field, value) {
    const had = handles.hasPoint(step);
    this.commitInOrder(withStep(editor.current(), step.id, { [field]: value || null }));
    if (handles.hasPoint(steps.opened) !== had) {
      aim.drop();
      handles.aimAtPoint();
    }
  },
  remove(step) {
    aim.drop();
    steps.openedId = "";
    editor.commit(withoutStep(editor.current(), step.id));
  },
  duplicate(step) {
    const current = editor.current();
    const id = freeStepId(current, step.id.replace(/-\d+$/, ""));
    const at = current.finish.findIndex((other) => other.id === step.id);
    const { at: place, ...own } = step;
    steps.openedId = id;
    editor.commit({ ...current, finish: current.finish.toSpliced(at + 1, 0, { ...own, id }) });
  },
  reset(step) {
    const { blank, settings: all, curves } = page.kinds.steps[step.kind];
    const fields = [...all.filter(({ takes }) => takes !== "source").map(({ field }) => field), ...curves];
    this.commitInOrder(
      withStep(editor.current(), step.id, Object.fromEntries(fields.map((field) => [field, blank[field]]))),
    );
  },
  pointKeys(event, step) {
    const by = event.shiftKey ? 10 : 1;
    const push = (dx, dy) => {
      settings.change(step, {
        ...numbers.withNumber(step, { field: "x" }, 0, () => numbers.at(step, { field: "x" }, 0) + dx),
        ...numbers.withNumber(step, { field: "y" }, 0, () => numbers.at(step, { field: "y" }, 0) + dy),
      });
    };
    return {
      ArrowLeft: () => push(-by, 0),
      ArrowRight: () => push(by, 0),
      ArrowUp: () => push(0, -by),
      ArrowDown: () => push(0, by),
    };
  },
});
