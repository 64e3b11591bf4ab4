// The picture on its grey: zoom and pan to the pixel, wipe between two pictures, where the pointer is.
const LARGEST_ZOOM = 64;
const WIPE_GRIP = 8;

export class Stage {
  // width, height: pixels. aspect: how wide one is by its height; the picture is shown as it is meant to be seen.
  constructor(canvas, { width, height, aspect = 1, onPointer, onZoom }) {
    Object.assign(this, { canvas, width, height, aspect, onPointer, onZoom });
    this.pictures = { main: null, other: null };
    this.zoom = 1;
    this.x = 0;
    this.y = 0;
    this.wipe = null;
    this.fitted = true;
    this.mark = null;
    new ResizeObserver(() => this.resize()).observe(canvas);
    canvas.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    canvas.addEventListener("pointerdown", (event) => this.press(event));
    canvas.addEventListener("pointermove", (event) => this.hover(event));
  }

  // Width of a pixel on the screen; its height is the zoom.
  get across() { return this.zoom * this.aspect; }

  put(name, bitmap) {
    this.pictures[name]?.close();
    this.pictures[name] = bitmap;
    this.draw();
  }

  setWipe(share) {
    this.wipe = share;
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
    let { left, top } = this.place(event);
    const wiping = this.wipe !== null && Math.abs(left - this.wipeLine()) < WIPE_GRIP;
    this.canvas.setPointerCapture(event.pointerId);
    const move = (change) => {
      const now = this.place(change);
      if (wiping) {
        this.setWipe(Math.min(1, Math.max(0, (now.left - this.x) / (this.width * this.across))));
      } else {
        this.x += now.left - left;
        this.y += now.top - top;
        this.fitted = false;
        this.draw();
      }
      ({ left, top } = now);
    };
    this.canvas.addEventListener("pointermove", move);
    this.canvas.addEventListener("lostpointercapture", () => this.canvas.removeEventListener("pointermove", move), { once: true });
  }

  hover(event) {
    const { left, top } = this.place(event);
    const x = Math.floor((left - this.x) / this.across);
    const y = Math.floor((top - this.y) / this.zoom);
    const inside = x >= 0 && y >= 0 && x < this.width && y < this.height;
    const onLine = this.wipe !== null && Math.abs(left - this.wipeLine()) < WIPE_GRIP;
    this.canvas.style.cursor = onLine ? "ew-resize" : "crosshair";
    this.onPointer(inside ? { x, y } : null);
  }

  wipeLine() {
    return this.x + this.wipe * this.width * this.across;
  }

  draw() {
    const pen = this.canvas.getContext("2d");
    pen.setTransform(1, 0, 0, 1, 0, 0);
    pen.clearRect(0, 0, this.canvas.width, this.canvas.height);
    pen.setTransform(this.ratio, 0, 0, this.ratio, 0, 0);
    const { main, other } = this.pictures;
    if (main) this.drawPicture(pen, main);
    if (this.wipe !== null && other) {
      const line = this.wipeLine();
      pen.save();
      pen.beginPath();
      pen.rect(this.x, this.y, line - this.x, this.height * this.zoom);
      pen.clip();
      this.drawPicture(pen, other);
      pen.restore();
      pen.fillStyle = "#fff";
      pen.fillRect(Math.round(line) - 0.5, this.y, 1, this.height * this.zoom);
    }
    if (this.mark && this.zoom >= 4) {
      pen.strokeStyle = "#fff";
      pen.strokeRect(this.x + this.mark.x * this.across - 1, this.y + this.mark.y * this.zoom - 1, this.across + 2, this.zoom + 2);
    }
  }

  drawPicture(pen, bitmap) {
    pen.imageSmoothingEnabled = this.zoom < 2 || bitmap.width < this.width;
    pen.imageSmoothingQuality = "high";
    pen.drawImage(bitmap, this.x, this.y, this.width * this.across, this.height * this.zoom);
  }
}
