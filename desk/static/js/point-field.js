// What fields with points on a little drawing share: points are dragged, stepped by keys, added by a double click, and
// taken away by Delete or a double click on them. Sends `slide` while they change and `rest` when they stay; detail is
// what `told` says of them.
//
// A field of its own kind has its points (as [x, y]), and says what differs from what is here.
const WIDE = 300;
const TALLEST = 0.96; // of the histogram, in the height of the drawing
const LAYERS = `<g class="field-bins"></g><path class="field-grid"></path><path class="field-line"></path>
  <g class="field-points"></g>`;
const SVG = "http://www.w3.org/2000/svg";

export class PointField extends HTMLElement {
  high = 150;
  canAdd = true;

  // ---- What a field of its own kind has ----
  /** @returns {number[][]} */
  get points() { return []; }
  set points(points) { throw new TypeError(`${this.localName}: nowhere to keep ${points}`); }
  /** @returns {{ x0: number, x1: number, y0: number, y1: number }} what is seen */
  range(points) { throw new TypeError(`${this.localName}: no range of ${points}`); }
  grid() { return ""; }
  line(points) { return `M${points.join("L")}`; }
  put(points, index, at) { return points.with(index, at); }
  fresh(at) { return at; } // the point that a double click adds, null for none
  /** @returns {number[]} by how much keys go, across and up */
  step(event) { return event.shiftKey ? [10, 10] : [1, 1]; }
  label(point, index) { return `${index + 1}: ${point}`; }
  told(points) { return points; }

  connectedCallback() {
    if (this.svg) return;
    this.innerHTML = `<svg viewBox="0 0 ${WIDE} ${this.high}" role="group">${LAYERS}</svg>`;
    this.svg = this.firstElementChild;
    this.svg.setAttribute("aria-label", this.getAttribute("label") ?? "");
    this.svg.addEventListener("dblclick", (event) => this.add(event));
    this.draw();
  }

  attributeChangedCallback() {
    if (this.svg && !this.dragging) this.draw();
  }

  get locked() { return this.getAttribute("locked") === "true"; }
  get bins() { return this.read("bins", null); }
  read(name, without) { return JSON.parse(this.getAttribute(name) || "null") ?? without; }
  canRemove() { return true; }

  draw(points = this.points) {
    if (!points.length) return; // not told yet
    this.view = this.dragging ? this.view : this.range(points);
    this.querySelector(".field-grid").setAttribute("d", this.grid());
    this.querySelector(".field-line").setAttribute("d", this.line(points));
    if (!this.dragging) this.drawBins();
    const group = this.querySelector(".field-points");
    if (group.childElementCount !== points.length) this.makeHandles(group, points.length);
    [...group.children].forEach((handle, index) => {
      handle.setAttribute("cx", String(this.across(points[index][0])));
      handle.setAttribute("cy", String(this.down(points[index][1])));
      handle.setAttribute("aria-label", this.label(points[index], index));
    });
  }

  // Counts of each channel as an area; the square root shows the few beside the many.
  drawBins() {
    const { low, high, counts } = this.bins ?? { counts: [] };
    const most = Math.max(1, ...counts.flatMap((channel) => channel.slice(1, -1))); // the ends hold all that is nowhere
    const areas = counts.map((channel, index) => {
      const size = (high - low) / channel.length;
      const across = (bin) => this.across(low + bin * size).toFixed(1);
      const steps = channel.map((count, bin) => {
        const top = this.high * (1 - TALLEST * Math.sqrt(Math.min(1, count / most)));
        return `${across(bin)} ${top.toFixed(1)}H${across(bin + 1)}`;
      });
      const path = `M${across(0)} ${this.high}L${steps.join("L")}V${this.high}Z`;
      return `<path class="bins-${counts.length > 1 ? index : "one"}" d="${path}"></path>`;
    });
    this.querySelector(".field-bins").innerHTML = areas.join("");
  }

  makeHandles(group, count) {
    group.replaceChildren(...Array.from({ length: count }, (_, index) => {
      const handle = document.createElementNS(SVG, "circle");
      handle.setAttribute("r", "5");
      handle.setAttribute("tabindex", "0");
      handle.setAttribute("role", "button");
      handle.addEventListener("pointerdown", (event) => this.press(event, index));
      handle.addEventListener("keydown", (event) => this.key(event, index));
      return handle;
    }));
  }

  across(x) { return ((x - this.view.x0) / (this.view.x1 - this.view.x0)) * WIDE; }
  down(y) { return this.high - ((y - this.view.y0) / (this.view.y1 - this.view.y0)) * this.high; }
  at(x, y) { return `${this.across(x).toFixed(1)} ${this.down(y).toFixed(1)}`; }

  place(event) {
    const box = this.svg.getBoundingClientRect();
    const { x0, x1, y0, y1 } = this.view;
    return [
      x0 + ((event.clientX - box.left) / box.width) * (x1 - x0),
      y1 - ((event.clientY - box.top) / box.height) * (y1 - y0),
    ];
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
    const [dx, dy] = this.step(event);
    const by = { ArrowLeft: [-dx, 0], ArrowRight: [dx, 0], ArrowUp: [0, dy], ArrowDown: [0, -dy] }[event.key];
    if (this.locked || !(by || event.key === "Delete")) return;
    event.preventDefault();
    event.stopPropagation();
    const [x, y] = this.points[index];
    if (by) this.settle(this.put(this.points, index, [x + by[0], y + by[1]]));
    else this.remove(index);
    this.querySelectorAll("circle")[index]?.focus();
  }

  add(event) {
    if (this.locked || !this.canAdd) return;
    const on = [...this.querySelectorAll("circle")].indexOf(event.target);
    if (on >= 0) {
      this.remove(on);
      return;
    }
    const added = this.fresh(this.place(event));
    if (added) this.settle([...this.points, added].sort((a, b) => a[0] - b[0]));
  }

  remove(index) {
    if (this.canRemove()) this.settle(this.without(index));
  }

  without(index) { return this.points.toSpliced(index, 1); }

  settle(points) {
    this.points = points;
    this.draw();
    this.send("rest", points);
  }

  send(name, points) {
    this.dispatchEvent(new CustomEvent(name, { detail: this.told(points), bubbles: true }));
  }
}

// A point stays between its neighbours, and so far from them.
export function between(points, index, x, apart) {
  const before = points[index - 1]?.[0] ?? -Infinity;
  const after = points[index + 1]?.[0] ?? Infinity;
  return Math.min(after - apart, Math.max(before + apart, x));
}
