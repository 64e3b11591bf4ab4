// <range-field near far names shape bins>: two ends dragged on the histogram of what is measured. names: of the two, as JSON.
// shape: { falloff, air } of the way between them, as JSON. Detail is [near, far].
import { PointField } from "./point-field.js";

const SAMPLES = 100;
const LIFT = [0.06, 0.94]; // where the handles lie in the height
const KOSCHMIEDER = Math.log(50);
const FINE = 200; // steps of a key across what is seen

class RangeField extends PointField {
  static observedAttributes = ["near", "far", "shape", "bins", "locked"];
  high = 90;
  canAdd = false;

  get points() { return ["near", "far"].map((name, index) => [Number(this.getAttribute(name)), LIFT[index]]); }
  set points([[near], [far]]) {
    this.setAttribute("near", near);
    this.setAttribute("far", far);
  }
  range([[near], [far]]) {
    const low = Math.min(this.bins?.low ?? near, near, far);
    const high = Math.max(this.bins?.high ?? far, near, far);
    const margin = (high - low || 1) * 0.03;
    return { x0: low - margin, x1: high + margin, y0: 0, y1: 1 };
  }
  grid() { return ""; }
  line([[near], [far]]) {
    const { x0, x1 } = this.view;
    const { falloff = 1, air = false } = this.read("shape", {});
    const thick = (v) => {
      const t = (v - near) / (far - near || 1e-9);
      if (!(t > 0)) return 0;
      return air ? 1 - Math.exp(-KOSCHMIEDER * t ** falloff) : Math.min(1, t) ** falloff;
    };
    const lifted = (v) => LIFT[0] + (LIFT[1] - LIFT[0]) * thick(v);
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
