// Where fog begins and where it is full: dragged over the histogram of what it goes by, or taken from a press in the
// picture.
import { post } from "../api.js";
import { reactive } from "../reactive.js";
import { at, changedTo } from "./time.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./target-numbers.js").Numbers} uses.numbers
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createFog = (page, { settings, numbers, frames, picture, aim, notices }) => reactive({
  endsOf(row) { return ["near", "far"].map((field) => settings.settingOf(row, field)); },
  shape(row) {
    return JSON.stringify({ falloff: at(row.falloff, frames.current), air: row.mode === "transmittance" });
  },
  withEnds(row, [near, far]) {
    return { near: changedTo(row.near, frames.current, near), far: changedTo(row.far, frames.current, far) };
  },
  slideEnds(row, both) { settings.slide(row, this.withEnds(row, both)); },
  setEnds(row, both) { settings.change(row, this.withEnds(row, both)); },
  pickText({ title }) { return `Pick ${title}`; },
  pickKey(row, { field }) { return `${row.id} ${field}`; },
  pickEnd(row, end) {
    aim.once(
      this.pickKey(row, end),
      `Press where the fog is to ${end.field === "near" ? "begin" : "be full"}`,
      async ({ x, y }) => {
        const { lines } = await (await post(page.urls.probe, { ...picture.asked(), x, y, x1: x, y1: y })).json();
        const { by, channels } = settings.kindOf(row).measures;
        const value = lines.find(({ key }) => key === `row/${row.id}`)?.stored[channels[row[by]]];
        if (Number.isFinite(value)) numbers.set(row, end, 0, Number(value.toPrecision(5)));
        else notices.remark = "Nothing is measured there.";
      },
    );
  },
});
