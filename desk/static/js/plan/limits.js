// Limits of deep samples: what they cost, measured on the scene.
import { get, post } from "../api.js";
import { reactive } from "../reactive.js";
import { awaited } from "./waiting.js";

const MOST_SAMPLES = 1000; // deep, of a plan

/** @typedef {ReturnType<typeof createLimits>} Limits */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createLimits = (page, { editor }) => reactive({
  measuring: false,
  error: 0.01,
  costs: [],
  best: null, // number of the cheapest within that error

  get buttonText() { return this.measuring ? "rendering…" : "Measure limits"; },
  get camera() {
    return editor.plan.cameras[0] ?? editor.scene.cameras.find((camera) => !camera.working)?.name ?? "";
  },
  async read() {
    const asked = new URLSearchParams({ camera: this.camera, error: String(this.error) });
    return (await (await get(`${page.urls.limits}?${asked}`)).json()).limits;
  },
  measure() {
    this.measuring = true;
    return editor.attempt(async () => {
      const before = (await this.read())?.task;
      await post(page.urls.limits, { camera: this.camera });
      const limits = await awaited(() => this.read(), ({ task }) => task !== before);
      if (limits) this.show(limits);
    }).finally(() => (this.measuring = false));
  },
  show(limits) {
    this.costs = limits?.costs ?? [];
    this.best = limits?.best ?? null;
  },
  setError(value) {
    this.error = value;
    editor.attempt(async () => this.show(await this.read()));
  },
  take({ tolerance, most }) {
    editor.put("deep.merge_distance", tolerance);
    editor.put("deep.most_samples", most || MOST_SAMPLES);
  },
  isBest(index) { return index === this.best; },
  text({ tolerance, most }) {
    return most ? `most ${most}` : tolerance ? `within ${tolerance}` : "all samples";
  },
  label(cost) { return `Use ${this.text(cost)}`; },
  bytesText({ bytes }) {
    return `${Math.round((100 * bytes) / Math.max(...this.costs.map((cost) => cost.bytes)))} %`;
  },
  errorText(error) {
    return error < 1e-6 ? "0" : error < 0.001 ? error.toExponential(0) : error.toPrecision(2);
  },
});
