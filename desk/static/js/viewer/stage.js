// The picture on its grey: zoom and pan to the pixel, wipe between two pictures, where the pointer is.
import { drawStage } from "./stage-drawing.js";
import { isOnLine, shareAt } from "./wipe.js";

const LARGEST_ZOOM = 64;
const PIXELS_FROM = 4; // zoom from which a pixel is drawn as a square, and no longer blended with its neighbours

export class Stage {
  // width, height: pixels. aspect: how wide one is by its height; the picture is shown as it is meant to be seen.
  constructor(canvas, { width, height, aspect = 1, onPointer, onZoom, onBox }) {
    this.canvas = canvas;
    this.width = width;
    this.height = height;
    this.aspect = aspect;
    this.onPointer = onPointer;
    this.onZoom = onZoom;
    this.onBox = onBox;
    this.pictures = { main: null, other: null };
    this.names = { main: "", other: "" }; // what the pictures show, for the two halves of a wipe
    this.passing = false;
    this.zoom = 1;
    this.otherwise = false; // smooth where pixels are shown, and the other way round
    this.x = 0;
    this.y = 0;
    this.wipe = null; // share of the picture that is the other one, along the wipe's direction
    this.angle = 0; // of the wipe, in degrees; 0 is a line from top to bottom
    this.beside = false; // the other picture stands at the right instead
    this.swapped = false; // the other picture is shown alone, for flicker
    this.numbers = null; // { x, y, width, values } drawn into single pixels
    this.tool = null; // takes presses, and draws over the picture: { press, move, release, draw }
    this.box = null; // dragged with Shift: { x, y, x1, y1 }
    this.fitted = true;
    this.mark = null;
    new ResizeObserver(() => this.resize()).observe(canvas);
    canvas.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    canvas.addEventListener("pointerdown", (event) => this.press(event));
    canvas.addEventListener("pointermove", (event) => this.hover(event));
  }

  // Whether pixels are seen as squares: from PIXELS_FROM on, or the other way round by a key.
  get showsPixels() { return (this.zoom >= PIXELS_FROM) !== this.otherwise; }
  // Width of a pixel on the screen; its height is the zoom.
  get across() { return this.zoom * this.aspect; }

  // Another picture may have another size; it is fitted anew.
  size(width, height, aspect) {
    if (width === this.width && height === this.height && aspect === this.aspect) return;
    Object.assign(this, { width, height, aspect });
    this.fit();
  }

  // passing: the pictures are some of many in a row, so they are drawn the quick way.
  put({ passing = false, ...pictures }) {
    for (const [name, bitmap] of Object.entries(pictures)) {
      this.pictures[name]?.close();
      this.pictures[name] = bitmap;
    }
    this.passing = passing;
    this.draw();
  }

  setWipe(share) {
    this.wipe = share;
    this.draw();
  }

  set(changes) {
    Object.assign(this, changes);
    this.draw();
  }

  resize() {
    const box = this.canvas.getBoundingClientRect();
    if (!box.width) return;
    this.ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.round(box.width * this.ratio);
    this.canvas.height = Math.round(box.height * this.ratio);
    if (this.fitted) this.fit();
    else this.draw();
  }

  fit() {
    const margin = 12;
    const wide = this.canvas.width / this.ratio;
    const high = this.canvas.height / this.ratio;
    this.zoom = Math.min((wide - margin) / (this.width * this.aspect), (high - margin) / this.height);
    this.x = (wide - this.width * this.across) / 2;
    this.y = (high - this.height * this.zoom) / 2;
    this.fitted = true;
    this.changed();
  }

  zoomTo(zoom, atX = this.canvas.width / this.ratio / 2, atY = this.canvas.height / this.ratio / 2) {
    const limited = Math.min(LARGEST_ZOOM, Math.max(0.05, zoom));
    this.x = atX - ((atX - this.x) * limited) / this.zoom;
    this.y = atY - ((atY - this.y) * limited) / this.zoom;
    this.zoom = limited;
    this.fitted = false;
    this.changed();
  }

  lookAt(x, y) {
    const zoom = Math.max(this.zoom, 8);
    this.zoom = zoom;
    this.x = this.canvas.width / this.ratio / 2 - (x + 0.5) * this.across;
    this.y = this.canvas.height / this.ratio / 2 - (y + 0.5) * zoom;
    this.mark = { x, y };
    this.fitted = false;
    this.changed();
  }

  changed() {
    this.onZoom(this.zoom);
    this.draw();
  }

  place(event) {
    const box = this.canvas.getBoundingClientRect();
    return { left: event.clientX - box.left, top: event.clientY - box.top };
  }

  wheel(event) {
    event.preventDefault();
    const { left, top } = this.place(event);
    this.zoomTo(this.zoom * Math.exp(-event.deltaY * 0.0015), left, top);
  }

  press(event) {
    if (event.button > 1) return;
    let at = this.place(event);
    if (this.tool && event.button === 0 && !event.altKey) {
      this.use(event, at);
      return;
    }
    const drag = event.shiftKey ? "box" : isOnLine(this, at) ? "wipe" : "pan";
    const begun = this.pixelAt(at);
    this.canvas.setPointerCapture(event.pointerId);
    const move = (change) => {
      const now = this.place(change);
      if (drag === "wipe") this.setWipe(shareAt(this, now));
      else if (drag === "box") this.dragBox(begun, this.pixelAt(now));
      else this.pan(now.left - at.left, now.top - at.top);
      at = now;
    };
    const end = () => {
      this.canvas.removeEventListener("pointermove", move);
      if (drag === "box") this.onBox?.(this.box);
    };
    this.canvas.addEventListener("pointermove", move);
    this.canvas.addEventListener("lostpointercapture", end, { once: true });
  }

  // A tool takes presses instead of moving the picture; with Alt they move it all the same.
  use(event, from) {
    const { tool } = this;
    let at = this.exactAt(from);
    this.canvas.setPointerCapture(event.pointerId);
    tool.press?.(at, event);
    const move = (change) => {
      at = this.exactAt(this.place(change));
      tool.move?.(at, change);
      this.draw();
    };
    this.canvas.addEventListener("pointermove", move);
    this.canvas.addEventListener("lostpointercapture", (last) => {
      this.canvas.removeEventListener("pointermove", move);
      tool.release?.(at, last);
      this.draw();
    }, { once: true });
  }

  pan(across, down) {
    this.x += across;
    this.y += down;
    this.fitted = false;
    this.changed();
  }

  dragBox(from, to) {
    const within = (value, size) => Math.min(size - 1, Math.max(0, value));
    const [x, x1] = [from.x, to.x].map((value) => within(value, this.width)).sort((a, b) => a - b);
    const [y, y1] = [from.y, to.y].map((value) => within(value, this.height)).sort((a, b) => a - b);
    this.set({ box: { x, y, x1, y1 } });
  }

  pixelAt({ left, top }) {
    return { x: Math.floor((left - this.x) / this.across), y: Math.floor((top - this.y) / this.zoom) };
  }

  // A place in pixels of the picture, between them as well; and where it lies on the screen.
  exactAt({ left, top }) { return { x: (left - this.x) / this.across, y: (top - this.y) / this.zoom }; }
  /** @returns {[number, number]} */
  onScreen({ x, y }) { return [this.x + x * this.across, this.y + y * this.zoom]; }

  isInside({ x, y }) { return x >= 0 && y >= 0 && x < this.width && y < this.height; }

  hover(event) {
    const at = this.place(event);
    const pixel = this.pixelAt(at);
    this.canvas.style.cursor = this.tool ? "cell" : isOnLine(this, at) ? "grab" : "crosshair";
    this.onPointer(this.isInside(pixel) ? pixel : null);
  }

  // The pixels that can be seen, cut to the picture.
  get visible() {
    const from = this.pixelAt({ left: 0, top: 0 });
    const to = this.pixelAt({ left: this.canvas.width / this.ratio, top: this.canvas.height / this.ratio });
    return {
      x: Math.max(0, from.x),
      y: Math.max(0, from.y),
      x1: Math.min(this.width - 1, to.x),
      y1: Math.min(this.height - 1, to.y),
    };
  }

  draw() {
    if (this.ratio) drawStage(this);
  }
}
