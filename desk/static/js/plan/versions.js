// Versions of the plan: one that was locked is not changed any more; and copies of it in other shots.
import { post } from "../api.js";
import { reactive } from "../reactive.js";
import { tag } from "./fields.js";

/** @typedef {ReturnType<typeof createVersions>} Versions */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createVersions = (page, { editor, notices }) => reactive({
  all: page.versions,
  viewing: page.viewing,
  shots: page.shots,

  isLocked(number) { return this.all.some((version) => version.number === number); },
  nextNumber() { return Math.max(editor.current().number, ...this.all.map((version) => version.number)) + 1; },
  get locked() { return this.isLocked(editor.plan.number); },
  get lockText() {
    return this.locked ? `${tag(editor.plan.number)} is locked; a change makes ${tag(this.nextNumber())}` : "";
  },
  up() { editor.change(() => ({ number: this.nextNumber() })); },
  lock() {
    return editor.attempt(async () => {
      await editor.save();
      this.all = (await (await post(page.urls.lock, {})).json()).versions;
    });
  },
  text(version) { return `${tag(version.number)}, ${version.reason}`; },
  open({ target: { value } }) { location.search = value ? `?version=${value}` : ""; },
  isViewed(version) { return this.viewing === version.number; },
  get viewingText() { return `This is ${tag(this.viewing ?? 0)} as it was kept; it cannot change.`; },
  copyTo(event) {
    const shot = event.target.value;
    event.target.value = "";
    if (!shot) return;
    editor.attempt(async () => {
      const { number } = await (await post(page.urls.copy, { plan: editor.plan, shot })).json();
      notices.remark = `${shot} has this plan now, as ${tag(number)} with its own frames and size.`;
    });
  },
});
