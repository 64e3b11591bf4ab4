// Frames, sizes and cameras of the plan.
import { post } from "../api.js";
import { reactive } from "../reactive.js";
import { toggled } from "./fields.js";

/** @typedef {ReturnType<typeof createShot>} Shot */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createShot = (page, { editor }) => reactive({
  sizes: page.sizes,

  get writtenText() {
    const [width, height] = editor.answer.size;
    const { width: wide, height: high, scale, overscan } = editor.plan.shot;
    const full = `full size ${wide} × ${high}, ${millions(wide * high)}`;
    return scale === 1 && !overscan ? full : `written ${width} × ${height}, ${millions(width * height)} (${full})`;
  },
  get framesText() {
    const warm = editor.plan.shot.warm_up;
    const thrown = warm ? `; ${warm} before them are rendered and thrown away` : "";
    return `${editor.answer.frames} frames: ${editor.answer.frameList}${thrown}`;
  },
  chooseSize(event) {
    const [width, height] = event.target.value.split("x").map(Number);
    event.target.value = "";
    if (height) editor.change(() => ({ "shot.width": width, "shot.height": height }));
  },
  sizeValue(size) { return `${size.width}x${size.height}`; },
  sizeLabel(size) { return `${size.title}  ${size.width} × ${size.height}`; },
  keepSize(event) {
    const title = String(new FormData(event.target).get("title")).trim();
    const { width, height } = editor.plan.shot;
    editor.attempt(async () => {
      this.sizes = (await (await post(page.urls.sizes, { title, width, height })).json()).sizes;
      event.target.reset();
    });
  },
  get ownSizes() { return this.sizes.find((size) => size.aspect === "own sizes")?.sizes ?? []; },
  dropSize(size) {
    editor.attempt(async () => {
      this.sizes = (await (await post(page.urls.sizes, { action: "drop", title: size.title })).json()).sizes;
    });
  },
  cameraOn(camera) { return editor.plan.cameras.includes(camera); },
  setCamera(camera, { target: { checked } }) {
    editor.change((plan) => ({ cameras: toggled(plan.cameras, camera, checked) }));
  },
});

const millions = (pixels) => `${(pixels / 1e6).toFixed(2)} million pixels`;
