// <curve-field points label>: a monotone curve to draw by its points; without points it is straight. Points are dragged, added by a
// double click, removed by Delete or a double click on them. Sends `slide` while it changes and `rest` when it stays; detail is the points.
const WIDE = 300;
const HIGH = 150;
const STRAIGHT = [[0, 0], [1, 1]];
const SAMPLES = 120;
const NEAREST = 0.001; // that two points may come in x

class CurveField extends HTMLElement {
  static observedAttributes = ["points", "locked"];

  connectedCallback() {
    if (this.svg) return;
    this.innerHTML = `<svg viewBox="0 0 ${WIDE} ${HIGH}" role="group"><path class="curve-grid"></path><path class="curve-line"></path><g></g></svg>`;
    this.svg = this.firstElementChild;
    this.svg.setAttribute("aria-label", this.getAttribute("label") ?? "curve");
    this.svg.addEventListener("dblclick", (event) => this.add(event));
    this.draw();
  }

  attributeChangedCallback() {
    if (this.svg && !this.dragging) this.draw();
  }

  get points() {
    const points = JSON.parse(this.getAttribute("points") || "[]");
    return points.length ? points : STRAIGHT;
  }
  set points(points) { this.setAttribute("points", points); }
  get locked() { return this.getAttribute("locked") === "true"; }

  // What is seen of x and y: 0 to 1, and all points beyond.
  range(points) {
    const far = Math.max(1, ...points.flat());
    const low = Math.min(0, ...points.flat());
    return { low, far };
  }

  draw(points = this.points) {
    this.view = this.dragging ? this.view : this.range(points);
    const at = ([x, y]) => `${this.across(x).toFixed(1)} ${this.down(y).toFixed(1)}`;
    const { low, far } = this.view;
    const marks = [0, 0.25, 0.5, 0.75, 1];
    const grid = marks.map((v) => `M${at([v, low])}L${at([v, far])}M${at([low, v])}L${at([far, v])}`).join("");
    this.querySelector(".curve-grid").setAttribute("d", grid);
    const value = spline(points);
    const line = Array.from({ length: SAMPLES + 1 }, (_, step) => {
      const x = low + ((far - low) * step) / SAMPLES;
      return at([x, value(x)]);
    });
    this.querySelector(".curve-line").setAttribute("d", `M${line.join("L")}`);
    const group = this.querySelector("g");
    if (group.childElementCount !== points.length) this.makeHandles(group, points.length);
    [...group.children].forEach((handle, index) => {
      handle.setAttribute("cx", this.across(points[index][0]));
      handle.setAttribute("cy", this.down(points[index][1]));
      handle.setAttribute("aria-label", `point at ${points[index].map((v) => v.toFixed(3)).join(", ")}`);
    });
  }

  makeHandles(group, count) {
    group.replaceChildren(...Array.from({ length: count }, (_, index) => {
      const handle = document.createElementNS("http://www.w3.org/2000/svg", "circle");
      handle.setAttribute("r", 5);
      handle.setAttribute("tabindex", 0);
      handle.setAttribute("role", "button");
      handle.addEventListener("pointerdown", (event) => this.press(event, index));
      handle.addEventListener("keydown", (event) => this.key(event, index));
      return handle;
    }));
  }

  across(x) { return ((x - this.view.low) / (this.view.far - this.view.low)) * WIDE; }
  down(y) { return HIGH - ((y - this.view.low) / (this.view.far - this.view.low)) * HIGH; }

  place(event) {
    const box = this.svg.getBoundingClientRect();
    const { low, far } = this.view;
    return [low + ((event.clientX - box.left) / box.width) * (far - low), far - ((event.clientY - box.top) / box.height) * (far - low)];
  }

  // A point stays between its neighbours.
  put(points, index, [x, y]) {
    const before = points[index - 1]?.[0] ?? -Infinity;
    const after = points[index + 1]?.[0] ?? Infinity;
    return points.with(index, [Math.min(after - NEAREST, Math.max(before + NEAREST, x)), y].map((v) => Number(v.toFixed(4))));
  }

  press(event, index) {
    if (this.locked || event.button !== 0) return;
    event.preventDefault();
    const handle = event.currentTarget;
    let points = this.points;
    let moved = false;
    handle.focus();
    handle.setPointerCapture(event.pointerId);
    this.dragging = true;
    const move = (change) => {
      moved = true;
      points = this.put(points, index, this.place(change));
      this.draw(points);
      this.send("slide", points);
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("lostpointercapture", () => {
      handle.removeEventListener("pointermove", move);
      this.dragging = false;
      if (moved) this.settle(points);
    }, { once: true });
  }

  key(event, index) {
    const step = event.shiftKey ? 0.1 : 0.01;
    const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] }[event.key];
    if (this.locked || !(by || event.key === "Delete")) return;
    event.preventDefault();
    event.stopPropagation();
    const [x, y] = this.points[index];
    if (by) this.settle(this.put(this.points, index, [x + by[0], y + by[1]]));
    else this.remove(index);
    this.querySelectorAll("circle")[index]?.focus();
  }

  add(event) {
    if (this.locked) return;
    const on = [...this.querySelectorAll("circle")].indexOf(event.target);
    if (on >= 0) {
      this.remove(on);
      return;
    }
    const [x, y] = this.place(event);
    if (this.points.some((point) => Math.abs(point[0] - x) < NEAREST)) return;
    this.settle([...this.points, [Number(x.toFixed(4)), Number(y.toFixed(4))]].sort((a, b) => a[0] - b[0]));
  }

  remove(index) {
    const points = this.points.toSpliced(index, 1);
    this.settle(points.length > 1 ? points : []);
  }

  settle(points) {
    this.points = JSON.stringify(points);
    this.draw();
    this.send("rest", points);
  }

  send(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail, bubbles: true }));
  }
}

// The curve as docs/ledger-format.md has it, for drawing.
function spline(points) {
  const widths = points.slice(1).map(([x], i) => x - points[i][0]);
  const rises = points.slice(1).map(([, y], i) => (y - points[i][1]) / widths[i]);
  const slopes = points.map((_, i) => slopeAt(widths, rises, i));
  return (x) => {
    const last = points.length - 1;
    if (x <= points[0][0]) return points[0][1] + slopes[0] * (x - points[0][0]);
    if (x >= points[last][0]) return points[last][1] + slopes[last] * (x - points[last][0]);
    const i = points.findLastIndex((point) => point[0] <= x);
    const [h, t] = [widths[i], (x - points[i][0]) / widths[i]];
    const rest = 1 - t;
    return points[i][1] * rest * rest * (1 + 2 * t) + points[i + 1][1] * t * t * (3 - 2 * t) + h * t * rest * (slopes[i] * rest - slopes[i + 1] * t);
  };
}

function slopeAt(h, d, i) {
  if (d.length === 1) return d[0];
  if (i === 0) return endSlope(h[0], h[1], d[0], d[1]);
  if (i === d.length) return endSlope(h.at(-1), h.at(-2), d.at(-1), d.at(-2));
  const [before, after] = [d[i - 1], d[i]];
  if (before * after <= 0) return 0;
  return (3 * (h[i - 1] + h[i])) / ((2 * h[i] + h[i - 1]) / before + (h[i] + 2 * h[i - 1]) / after);
}

function endSlope(h0, h1, near, far) {
  const slope = ((2 * h0 + h1) * near - h0 * far) / (h0 + h1);
  if (slope * near <= 0) return 0;
  return near * far <= 0 && Math.abs(slope) > 3 * Math.abs(near) ? 3 * near : slope;
}

customElements.define("curve-field", CurveField);
