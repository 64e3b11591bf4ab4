// The curves of the opened row over the histogram of what they bend; and the ends of fog over that of what it goes by.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { drawnCurves } from "./drawn-curves.js";
import { at, changedTo } from "./time.js";
import { find } from "./tree.js";

const CURVES = ["all", "red", "green", "blue"];
const CHANNELS = { red: [0], green: [1], blue: [2] };

export const curves = (page, shared) => ({
  curveNames: CURVES,
  endsOf(row) { return ["near", "far"].map((field) => this.settingOf(row, field)); },
  counted: {}, // histograms of the opened row: of its colour, of what it measures

  openCurves() { shared.counting = new Newest((row) => this.fetchCounts(row)); },
  // Asked anew whenever the row is another one, or what comes before its curves.
  countAgain() {
    const row = find(shared.ledgers.current, this.opened); // it may have been undone
    if (row) shared.counting.ask(row);
    else this.counted = {};
  },
  async fetchCounts(row) {
    try {
      const asked = { ...this.question, row: row.id };
      const colour = await (await post(page.urls.histogram, asked)).json();
      const measure = this.measures(row) ? await (await post(page.urls.histogram, { ...asked, measure: true })).json() : null;
      this.counted = { row: row.id, colour, measure };
    } catch {
      this.counted = {}; // the picture says why
    }
  },

  // ---- Curves ----
  curveBins(row) {
    const { colour } = this.counted.row === row.id ? this.counted : {};
    const chosen = CHANNELS[this.curveName];
    return JSON.stringify(colour ? { ...colour, counts: chosen ? chosen.map((index) => colour.counts[index]) : colour.counts } : null);
  },
  ...drawnCurves((row) => row.curves, (row, curves) => ({ curves: { ...row.curves, ...curves } })),

  // ---- Where fog begins and ends ----
  measureBins(row) { return JSON.stringify(this.counted.row === row.id ? this.counted.measure : null); },
  fogShape(row) { return JSON.stringify({ falloff: at(row.falloff, this.frame), air: row.mode === "transmittance" }); },
  withEnds(row, [near, far]) { return { near: changedTo(row.near, this.frame, near), far: changedTo(row.far, this.frame, far) }; },
  slideEnds(row, both) { this.slide(row, this.withEnds(row, both)); },
  setEnds(row, both) { this.change(row, this.withEnds(row, both)); },
  pickText({ title }) { return `Pick ${title}`; },
  pickKey(row, { field }) { return `${row.id} ${field}`; },
  pickEnd(row, end) {
    this.aimOnce(this.pickKey(row, end), `Press where the fog is to ${end.field === "near" ? "begin" : "be full"}`, async ({ x, y }) => {
      const { lines } = await (await post(page.urls.probe, { ...this.asked(), x, y, x1: x, y1: y })).json();
      const { by, channels } = this.kindOf(row).measures;
      const value = lines.find(({ key }) => key === `row/${row.id}`)?.stored[channels[row[by]]];
      if (Number.isFinite(value)) this.setNumber(row, end, 0, Number(value.toPrecision(5)));
      else this.remark = "Nothing is measured there.";
    });
  },
});
