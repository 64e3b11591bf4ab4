// What limits of samples cost, as a curve and in numbers, and files written within them.
import { post } from "../api.js";
import { reactive } from "../reactive.js";

const WIDE = 250;
const HIGH = 96;
const EDGE = 6;
const LEAST = 1e-7; // error that is drawn as none

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createLimits = (page, { picture, notices }) => reactive({
  open: false,
  measuring: false,
  costs: [],
  best: null,
  mostError: 0.01,
  tolerance: 0,
  most: 0,
  writing: "deep",
  frames: "",

  toggle() { this.open = !this.open; },
  async measure() {
    this.measuring = true;
    await notices.guarded(async () => {
      const { costs, best } = await (await post(page.urls.costs, { ...picture.asked(), error: this.mostError })).json();
      Object.assign(this, { costs, best });
      if (best !== null) this.take(costs[best]);
      notices.remark = best === null ? `Nothing stays within ${this.mostError}; leave all samples.` : "";
    });
    this.measuring = false;
  },
  get measureText() { return this.measuring ? "measuring…" : "Measure"; },
  take({ tolerance, most }) { Object.assign(this, { tolerance, most }); },
  isTaken({ tolerance, most }) { return tolerance === this.tolerance && most === this.most; },
  isBest(index) { return index === this.best; },
  limitText({ tolerance, most }) { return most ? `most ${most}` : tolerance ? `within ${tolerance}` : "all"; },
  shareText(cost) { return `${Math.round((100 * cost.bytes) / Math.max(...this.costs.map(({ bytes }) => bytes)))} %`; },
  errorText(error) { return error < LEAST ? "0" : error < 0.001 ? error.toExponential(0) : error.toPrecision(2); },
  costLabel(cost) { return `Use the limits ${this.limitText(cost)}`; },
  setMostError(value) { this.mostError = value; },
  setTolerance(value) { this.tolerance = value; },
  setMost(value) { this.most = value; },
  // Bytes across, the error in front of cards up, each of them on a scale of its own.
  get curvePoints() {
    const most = Math.max(...this.costs.map(({ bytes }) => bytes), 1);
    const low = Math.log10(LEAST);
    const high = Math.max(...this.costs.map(({ holdout_error: error }) => Math.log10(Math.max(LEAST, error))), low + 1);
    return this.costs.map((cost) => ({
      x: EDGE + (cost.bytes / most) * (WIDE - 2 * EDGE),
      y: HIGH - EDGE - ((Math.log10(Math.max(LEAST, cost.holdout_error)) - low) / (high - low)) * (HIGH - 2 * EDGE),
      size: this.isTaken(cost) ? 4 : 2,
    }));
  },
  get curveLine() {
    const line = this.curvePoints.toSorted((a, b) => a.x - b.x);
    return line.map(({ x, y }, place) => `${place ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join(" ");
  },
  get curveDots() {
    return this.curvePoints
      .map(({ x, y, size }) => `M${x - size} ${y - size}h${2 * size}v${2 * size}h${-2 * size}z`)
      .join(" ");
  },
  async write() {
    await notices.guarded(async () => {
      const { title } = await (
        await post(page.urls.write, {
          ...picture.asked(),
          way: this.writing,
          frames: this.frames,
          tolerance: this.tolerance,
          most: this.most,
        })
      ).json();
      notices.remark = `${title} is being written; see Work.`;
    });
  },
  get workUrl() { return page.urls.work; },
});
