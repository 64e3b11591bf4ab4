// <curve-field points label bins>: a monotone curve to draw by its points, over the histogram of what it bends; without
// points it is straight. Detail is the points.
import { spline } from "./formulas.js";
import { between, PointField } from "./point-field.js";

const STRAIGHT = [[0, 0], [1, 1]];
const MARKS = [0, 0.25, 0.5, 0.75, 1];
const SAMPLES = 120;
const NEAREST = 0.001; // that two points may come in x

class CurveField extends PointField {
  static observedAttributes = ["points", "locked", "bins"];

  get points() {
    const points = this.read("points", []);
    return points.length ? points : STRAIGHT;
  }
  set points(points) { this.setAttribute("points", typeof points === "string" ? points : JSON.stringify(points)); }

  // 0 to 1, all points beyond, and the light that there is.
  range(points) {
    const x1 = Math.max(1, this.bins?.high ?? 1, ...points.flat());
    const x0 = Math.min(0, this.bins?.low ?? 0, ...points.flat());
    return { x0, x1, y0: x0, y1: x1 };
  }
  grid() {
    const { x0, x1 } = this.view;
    return MARKS.map((v) => `M${this.at(v, x0)}L${this.at(v, x1)}M${this.at(x0, v)}L${this.at(x1, v)}`).join("");
  }
  line(points) {
    const { x0, x1 } = this.view;
    const value = spline(points);
    const steps = Array.from({ length: SAMPLES + 1 }, (_, step) => x0 + ((x1 - x0) * step) / SAMPLES);
    return `M${steps.map((x) => this.at(x, value(x))).join("L")}`;
  }
  label(point) { return `point at ${point.map((v) => v.toFixed(3)).join(", ")}`; }
  step(event) { return event.shiftKey ? [0.1, 0.1] : [0.01, 0.01]; }
  put(points, index, [x, y]) { return points.with(index, [between(points, index, x, NEAREST), y].map(short)); }
  fresh(at) { return this.points.some(([x]) => Math.abs(x - at[0]) < NEAREST) ? null : at.map(short); }
  without(index) {
    const points = super.without(index);
    return points.length > 1 ? points : [];
  }
  told(points) { return points; }
}

const short = (v) => Number(v.toFixed(4));

customElements.define("curve-field", CurveField);
