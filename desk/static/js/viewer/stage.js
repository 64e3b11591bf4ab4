// The picture on its grey: zoom and pan to the pixel, wipe between two pictures, where the pointer is.
const LARGEST_ZOOM = 64;
const WIPE_GRIP = 8;
const NUMBERS_FROM = 38; // screen pixels that one pixel is high

export { NUMBERS_FROM };

export class Stage {
  // width, height: pixels. aspect: how wide one is by its height; the picture is shown as it is meant to be seen.
  constructor(canvas, { width, height, aspect = 1, onPointer, onZoom, onBox }) {
    Object.assign(this, { canvas, width, height, aspect, onPointer, onZoom, onBox });
    this.pictures = { main: null, other: null };
    this.passing = false;
    this.zoom = 1;
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
    const drag = event.shiftKey ? "box" : this.isOnLine(at) ? "wipe" : "pan";
    const begun = this.pixelAt(at);
    this.canvas.setPointerCapture(event.pointerId);
    const move = (change) => {
      const now = this.place(change);
      if (drag === "wipe") this.setWipe(this.shareAt(now));
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
  onScreen({ x, y }) { return [this.x + x * this.across, this.y + y * this.zoom]; }

  isInside({ x, y }) { return x >= 0 && y >= 0 && x < this.width && y < this.height; }

  hover(event) {
    const at = this.place(event);
    const pixel = this.pixelAt(at);
    this.canvas.style.cursor = this.tool ? "cell" : this.isOnLine(at) ? "grab" : "crosshair";
    this.onPointer(this.isInside(pixel) ? pixel : null);
  }

  // The pixels that can be seen, cut to the picture.
  get visible() {
    const from = this.pixelAt({ left: 0, top: 0 });
    const to = this.pixelAt({ left: this.canvas.width / this.ratio, top: this.canvas.height / this.ratio });
    return {
      x: Math.max(0, from.x), y: Math.max(0, from.y), x1: Math.min(this.width - 1, to.x), y1: Math.min(this.height - 1, to.y),
    };
  }

  // ---- The wipe: a line across the picture, square to a direction, that moves along it ----
  get direction() {
    const turn = (this.angle * Math.PI) / 180;
    return { across: Math.cos(turn), down: Math.sin(turn) };
  }

  get middle() {
    return { left: this.x + (this.width * this.across) / 2, top: this.y + (this.height * this.zoom) / 2 };
  }

  get span() {
    const { across, down } = this.direction;
    return Math.abs(this.width * this.across * across) + Math.abs(this.height * this.zoom * down);
  }

  along({ left, top }) {
    const { across, down } = this.direction;
    return (left - this.middle.left) * across + (top - this.middle.top) * down;
  }

  shareAt(at) { return Math.min(1, Math.max(0, this.along(at) / this.span + 0.5)); }

  isOnLine(at) {
    return this.wipe !== null && Math.abs(this.along(at) - (this.wipe - 0.5) * this.span) < WIPE_GRIP;
  }

  draw() {
    if (!this.ratio) return;
    const pen = this.canvas.getContext("2d");
    pen.setTransform(1, 0, 0, 1, 0, 0);
    pen.clearRect(0, 0, this.canvas.width, this.canvas.height);
    pen.setTransform(this.ratio, 0, 0, this.ratio, 0, 0);
    const { main, other } = this.pictures;
    if (this.beside && main && other) this.drawBeside(pen, main, other);
    else if (this.swapped && other) this.drawPicture(pen, other);
    else if (main) this.drawPicture(pen, main);
    if (this.wipe !== null && other && !this.beside) this.drawWipe(pen, other);
    if (this.numbers && main) this.drawNumbers(pen);
    pen.strokeStyle = "#fff";
    if (this.mark && this.zoom >= 4) this.outline(pen, { ...this.mark, x1: this.mark.x, y1: this.mark.y });
    if (this.box) this.outline(pen, this.box);
    this.tool?.draw?.(pen);
  }

  outline(pen, { x, y, x1, y1 }) {
    pen.lineWidth = 1;
    pen.strokeRect(
      this.x + x * this.across - 1, this.y + y * this.zoom - 1, (x1 - x + 1) * this.across + 2, (y1 - y + 1) * this.zoom + 2,
    );
  }

  drawWipe(pen, other) {
    const { left, top } = this.middle;
    const far = this.span + Math.max(this.canvas.width, this.canvas.height);
    const line = (this.wipe - 0.5) * this.span;
    pen.save();
    pen.beginPath();
    pen.rect(this.x, this.y, this.width * this.across, this.height * this.zoom);
    pen.clip();
    pen.translate(left, top);
    pen.rotate((this.angle * Math.PI) / 180);
    pen.save();
    pen.beginPath();
    pen.rect(-far, -far, far + line, 2 * far);
    pen.clip();
    pen.rotate((-this.angle * Math.PI) / 180);
    pen.translate(-left, -top);
    this.drawPicture(pen, other);
    pen.restore();
    pen.fillStyle = "#fff";
    pen.fillRect(Math.round(line) - 0.5, -far, 1, 2 * far);
    pen.restore();
  }

  drawBeside(pen, main, other) {
    const wide = this.canvas.width / this.ratio / 2;
    const high = this.canvas.height / this.ratio;
    [main, other].forEach((bitmap, place) => {
      pen.save();
      pen.beginPath();
      pen.rect(place * wide, 0, wide - 1, high);
      pen.clip();
      pen.translate(place ? wide / 2 : -wide / 2, 0);
      this.drawPicture(pen, bitmap);
      pen.restore();
    });
  }

  drawNumbers(pen) {
    const { x, y, width, values } = this.numbers;
    const lines = values[0]?.length ?? 0;
    if (!lines || this.zoom < NUMBERS_FROM) return;
    const size = Math.min(11, (this.zoom - 6) / lines);
    pen.font = `${size}px Mono, monospace`;
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    values.forEach((stored, place) => {
      const left = this.x + (x + (place % width) + 0.5) * this.across;
      const top = this.y + (y + Math.floor(place / width) + 0.5) * this.zoom;
      stored.forEach((value, line) => {
        const text = typeof value === "string" ? value : shortly(value);
        const at = top + (line - (lines - 1) / 2) * (size + 1);
        pen.lineWidth = 2.5;
        pen.strokeStyle = "#000c";
        pen.strokeText(text, left, at);
        pen.fillStyle = "#fff";
        pen.fillText(text, left, at);
      });
    });
  }

  drawPicture(pen, bitmap) {
    pen.imageSmoothingEnabled = this.zoom < 2 || bitmap.width < this.width;
    pen.imageSmoothingQuality = this.passing ? "low" : "high";
    pen.drawImage(bitmap, this.x, this.y, this.width * this.across, this.height * this.zoom);
  }
}

// A stored number as short as a pixel has room for.
function shortly(value) {
  const size = Math.abs(value);
  if (size !== 0 && (size < 1e-3 || size >= 1e4)) return value.toExponential(1);
  return value.toFixed(size < 10 ? 3 : 1);
}
