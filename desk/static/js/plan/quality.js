// What a frame of the plan takes, as measured.
import { get, post } from "../api.js";
import { duration } from "../numbers.js";
import { reactive } from "../reactive.js";
import { awaited } from "./waiting.js";

/** @typedef {ReturnType<typeof createQuality>} Quality */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createQuality = (page, { editor }) => reactive({
  measuring: false,

  get timeText() {
    const time = editor.answer.time;
    return time
      ? `${duration(time.perFrame)} a frame, ${duration(time.total)} for all`
      : "no frame of this scene was measured yet";
  },
  get basisText() {
    return editor.answer.time ? `from ${editor.answer.time.basis}` : "Have a small one rendered, or render a frame.";
  },
  measure() {
    const camera = editor.plan.cameras[0] ?? editor.scene.cameras.find(({ working }) => !working)?.name ?? "";
    const before = editor.answer.time?.measured;
    this.measuring = true;
    return editor.attempt(async () => {
      await post(page.urls.measure, { camera });
      const read = async () => (await (await get(page.urls.measure)).json()).time;
      await awaited(read, (time) => time.measured !== before);
      await editor.refresh();
    }).finally(() => (this.measuring = false));
  },
});
