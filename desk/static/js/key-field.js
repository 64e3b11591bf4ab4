// <key-field keys first last frame min max step>: a number over time, drawn by its keys, which are dragged in frame and
// value. Detail is the keys: { frame, value, ease } each.
import { at } from "./rebuild/time.js";
import { between, PointField } from "./point-field.js";

const SAMPLES = 150;
const MARGIN = 0.12; // above and below the values

class KeyField extends PointField {
  static observedAttributes = ["keys", "locked", "first", "last", "frame"];
  high = 90;

  get keys() { return this.read("keys", []); }
  get points() { return this.keys.map(({ frame, value }) => [frame, value]); }
  set points(points) { this.setAttribute("keys", JSON.stringify(this.told(points))); }
  number(name) { return Number(this.getAttribute(name)); }

  range(points) {
    const values = points.map(([, value]) => value);
    const spread = Math.max(...values) - Math.min(...values) || Math.max(1, Math.abs(values[0]));
    return {
      x0: Math.min(this.number("first"), points[0][0]) - 0.5,
      x1: Math.max(this.number("last"), points.at(-1)[0]) + 0.5,
      y0: Math.min(...values) - MARGIN * spread,
      y1: Math.max(...values) + MARGIN * spread,
    };
  }
  grid() {
    const { x0, x1, y0, y1 } = this.view;
    const zero = y0 <= 0 && y1 >= 0 ? `M${this.at(x0, 0)}L${this.at(x1, 0)}` : "";
    return `${zero}M${this.at(this.number("frame"), y0)}L${this.at(this.number("frame"), y1)}`;
  }
  line(points) {
    const { x0, x1 } = this.view;
    const keyed = { keys: this.told(points) };
    const steps = Array.from({ length: SAMPLES + 1 }, (_, step) => x0 + ((x1 - x0) * step) / SAMPLES);
    return `M${steps.map((x) => this.at(x, at(keyed, x))).join("L")}`;
  }
  label([frame, value]) { return `key at frame ${frame}: ${value}`; }
  step(event) {
    const value = this.number("step") * (event.shiftKey ? 10 : 1);
    return [event.shiftKey ? 10 : 1, value];
  }
  put(points, index, [x, y]) {
    const frame = between(points, index, Math.round(x), 1);
    return points.with(index, [frame, this.limited(y)]);
  }
  fresh([x, y]) {
    const frame = Math.round(x);
    return this.points.some(([taken]) => taken === frame) ? null : [frame, this.limited(y)];
  }
  limited(value) { return Number(Math.min(this.number("max"), Math.max(this.number("min"), value)).toFixed(4)); }
  canRemove() { return this.keys.length > 1; }
  // Keys that stay keep their ease; one that is new goes on as the one before it.
  told(points) {
    const { keys } = this;
    const before = (frame) => keys.findLast((key) => key.frame < frame)?.ease ?? keys[0].ease;
    const same = keys.length === points.length;
    return points.map(([frame, value], index) => ({
      frame, value, ease: (same ? keys[index] : keys.find((key) => key.frame === frame))?.ease ?? before(frame),
    }));
  }
}

customElements.define("key-field", KeyField);
