// <range-field near far names shape bins>: two ends dragged on the histogram of what is measured. names: of the two, as
// JSON. shape: { falloff, air } of the way between them, as JSON. Detail is [near, far].
import { haze } from "./formulas.js";
import { PointField } from "./point-field.js";

const SAMPLES = 100;
const LIFT = [0.06, 0.94]; // where the handles lie in the height
const ENDLESS = 1e8; // what lies further is not looked at: the range has no end there
const FINE = 200; // steps of a key across what is seen

class RangeField extends PointField {
  static observedAttributes = ["near", "far", "shape", "bins", "locked"];
  high = 90;
  canAdd = false;

  get points() { return ["near", "far"].map((name, index) => [Number(this.getAttribute(name)), LIFT[index]]); }
  set points([[near], [far]]) {
    this.setAttribute("near", String(near));
    this.setAttribute("far", String(far));
  }
  range([[near], [far]]) {
    const ends = [near, far].filter((x) => Math.abs(x) < ENDLESS);
    const low = Math.min(this.bins?.low ?? 0, ...ends);
    const high = Math.max(this.bins?.high ?? 1, ...ends);
    const margin = (high - low || 1) * 0.03;
    return { x0: low - margin, x1: high + margin, y0: 0, y1: 1 };
  }
  grid() { return ""; }
  line([[near], [far]]) {
    const { x0, x1 } = this.view;
    const shape = { ...this.read("shape", {}), near, far };
    const lifted = (v) => LIFT[0] + (LIFT[1] - LIFT[0]) * haze(v, shape);
    const steps = Array.from({ length: SAMPLES + 1 }, (_, step) => x0 + ((x1 - x0) * step) / SAMPLES);
    return `M${steps.map((x) => this.at(x, lifted(x))).join("L")}`;
  }
  label([x], index) { return `${this.read("names", ["near", "far"])[index]} ${Number(x.toPrecision(4))}`; }
  step(event) { return [((this.view.x1 - this.view.x0) / FINE) * (event.shiftKey ? 10 : 1), 0]; }
  put(points, index, [x]) { return points.with(index, [Number(x.toPrecision(5)), LIFT[index]]); }
  canRemove() { return false; }
  told(points) { return points.map(([x]) => x); }
}

customElements.define("range-field", RangeField);

// <soft-range-field low high soft_low soft_high bins>: a range whose ends rise and fall; four handles. Detail is the
// four numbers.
class SoftRangeField extends RangeField {
  static observedAttributes = ["low", "high", "soft_low", "soft_high", "bins", "locked"];

  number(name) { return Number(this.getAttribute(name) ?? 0); }
  get points() {
    const [low, high] = [this.number("low"), this.number("high")];
    return [
      [low - this.number("soft_low"), LIFT[0]],
      [low, LIFT[1]],
      [high, LIFT[1]],
      [high + this.number("soft_high"), LIFT[0]],
    ];
  }
  set points(points) {
    for (const [name, value] of Object.entries(this.told(points))) this.setAttribute(name, String(value));
  }
  range(points) { return super.range([points[0], points[3]]); }
  line(points) {
    const { x0, x1 } = this.view;
    return `M${this.at(x0, LIFT[0])}L${points.map(([x, y]) => this.at(x, y)).join("L")}L${this.at(x1, LIFT[0])}`;
  }
  label([x], index) {
    return `${["rises from", "whole from", "whole to", "falls to"][index]} ${Number(x.toPrecision(4))}`;
  }
  // An outer handle stays outside; an inner one takes its soft end along.
  put(points, index, [to]) {
    const x = Number(to.toPrecision(5));
    const [a, b, c, d] = points.map(([at]) => at);
    const moved = [
      [Math.min(x, b), b, c, d],
      [Math.min(x, c) - (b - a), Math.min(x, c), c, d],
      [a, b, Math.max(x, b), Math.max(x, b) + (d - c)],
      [a, b, c, Math.max(x, c)],
    ][index];
    return moved.map((at, place) => [at, points[place][1]]);
  }
  told(points) {
    const [a, b, c, d] = points.map(([x]) => x);
    const short = (value) => Number(value.toPrecision(5));
    return { low: short(b), high: short(c), soft_low: short(b - a), soft_high: short(d - c) };
  }
}

customElements.define("soft-range-field", SoftRangeField);
