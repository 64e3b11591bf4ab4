// Plans as files: exported and imported.
import { Fault, post } from "../api.js";
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createExchange>} Exchange */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./versions.js").Versions} uses.versions
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createExchange = (page, { editor, versions, notices }) => reactive({
  foreign: null, // a plan of another shot, until somebody says whether it is taken over

  get exportUrl() { return versions.viewing ? `${page.urls.export}?version=${versions.viewing}` : page.urls.export; },
  async bringIn(event) {
    const plan = await this.readJson(event);
    if (plan) await this.replace(plan, false);
  },
  // A plan from a file takes the place of this one, as a new version; one of another shot only if that is wanted.
  replace(plan, takeOver) {
    return editor.attempt(async () => {
      try {
        await editor.save();
        const { url } = await (await post(page.urls["bring-in"], { plan, takeOver })).json();
        location.assign(url);
      } catch (error) {
        if (error.code !== "plan.foreign") throw error;
        this.foreign = { plan, what: error.what, advice: error.advice };
      }
    });
  },
  takeOver() { return this.replace(this.foreign.plan, true); },
  leaveForeign() { this.foreign = null; },
  get foreignWhat() { return this.foreign?.what ?? ""; },
  get foreignAdvice() { return this.foreign?.advice ?? ""; },
  async readJson(event) {
    const [file] = event.target.files;
    event.target.value = "";
    if (!file) return null;
    try {
      return JSON.parse(await file.text());
    } catch {
      const advice = "Choose a file that was exported here.";
      notices.fault = new Fault({ what: "This file is not JSON.", where: file.name, advice });
      return null;
    }
  },
});
