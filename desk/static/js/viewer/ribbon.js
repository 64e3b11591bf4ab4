// The frames of a sequence on a canvas: it stands ten thousand of them. Present, missing, beyond the shot's range, kept
// for play.
const HIGH = 20;

export class Ribbon {
  // frames: numbers that are there. first, last: the shot's range. onChoose: called with a frame that is there.
  constructor(canvas, { onChoose }) {
    this.canvas = canvas;
    this.onChoose = onChoose;
    this.frames = [];
    this.first = 0;
    this.last = 0;
    this.current = 0;
    this.kept = new Set();
    this.keys = [];
    this.sound = new Set();
    this.broken = new Set();
    new ResizeObserver(() => this.draw()).observe(canvas);
    // Drawn colours do not follow a theme by themselves.
    new MutationObserver(() => this.draw()).observe(document.documentElement, { attributeFilter: ["data-bs-theme"] });
    canvas.addEventListener("pointerdown", (event) => this.press(event));
    canvas.addEventListener("pointermove", (event) => (canvas.title = this.titleAt(event)));
  }

  show(changes) {
    Object.assign(this, changes);
    this.low = Math.min(this.first, this.frames[0] ?? this.first);
    this.high = Math.max(this.last, this.frames.at(-1) ?? this.last);
    this.there = new Set(this.frames);
    this.draw();
  }

  get count() { return this.high - this.low + 1; }

  draw() {
    const box = this.canvas.getBoundingClientRect();
    if (!box.width || !this.there) return;
    const ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.round(box.width * ratio);
    this.canvas.height = HIGH * ratio;
    const pen = this.canvas.getContext("2d");
    const style = getComputedStyle(this.canvas);
    const tone = (name) => style.getPropertyValue(name);
    pen.scale(ratio, ratio);
    const wide = box.width / this.count;
    const gap = wide > 4 ? 1 : 0;
    const bar = (frame, from, high) => pen.fillRect((frame - this.low) * wide, from, Math.max(wide - gap, 0.75), high);
    pen.fillStyle = tone("--well");
    pen.fillRect((this.first - this.low) * wide, 0, (this.last - this.first + 1) * wide, HIGH);
    pen.fillStyle = tone("--bar");
    for (const frame of this.frames) {
      const inside = frame >= this.first && frame <= this.last;
      bar(frame, inside ? 3 : 7, inside ? HIGH - 6 : HIGH - 14);
    }
    pen.fillStyle = tone("--text");
    for (const frame of this.kept) bar(frame, HIGH - 3, 2);
    for (const frame of this.sound) bar(frame, 0, 2);
    pen.fillStyle = tone("--bad");
    for (const frame of this.broken) bar(frame, 0, 5);
    pen.fillStyle = tone("--text");
    for (const frame of this.keys) this.diamond(pen, (frame - this.low + 0.5) * wide);
    pen.fillStyle = tone("--focus");
    pen.fillRect((this.current - this.low) * wide, 0, Math.max(wide - gap, 3), HIGH);
  }

  // A key of what is open beside the ribbon.
  diamond(pen, middle) {
    pen.beginPath();
    for (const [x, y] of [[0, -4], [4, 0], [0, 4], [-4, 0]]) pen.lineTo(middle + x, HIGH / 2 + y);
    pen.fill();
  }

  frameAt(event) {
    const box = this.canvas.getBoundingClientRect();
    return this.low + Math.floor(((event.clientX - box.left) / box.width) * this.count);
  }

  nearest(wanted) {
    return this.frames.reduce(
      (best, frame) => (Math.abs(frame - wanted) < Math.abs(best - wanted) ? frame : best),
      this.frames[0],
    );
  }

  titleAt(event) {
    const frame = this.frameAt(event);
    if (!this.there?.has(frame)) return `frame ${frame}, missing`;
    if (this.broken.has(frame)) return `frame ${frame}, not balanced or not compared`;
    return frame < this.first || frame > this.last ? `frame ${frame}, outside the shot's range` : `frame ${frame}`;
  }

  press(event) {
    if (!this.frames.length) return;
    this.canvas.setPointerCapture(event.pointerId);
    const choose = (at) => {
      const frame = this.nearest(this.frameAt(at));
      if (frame !== this.current) this.onChoose(frame);
    };
    choose(event);
    this.canvas.addEventListener("pointermove", choose);
    this.canvas.addEventListener("lostpointercapture", () => this.canvas.removeEventListener("pointermove", choose), {
      once: true,
    });
  }
}
