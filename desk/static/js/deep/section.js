// The section of a pixel: depth across, alpha up. Samples stand where they are, as bright as they are seen; the line is
// what has gathered up to there. A chosen card is a handle that is dragged.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { byRef, reactive } from "../reactive.js";
import { at } from "../rebuild/time.js";

const LEFT = 34;
const RIGHT = 12;
const TOP = 30;
const BOTTOM = 20;
const HANDLE = 12; // from above
const LEAST_WIDE = 3; // pixels of a sample without a depth of its own
const GRAB = 9;
const TICKS = 6;

/** @typedef {ReturnType<typeof createSection>} Section */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./group.js").Group} uses.group
 * @param {import("./inside.js").Inside} uses.inside
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {import("../viewer/probing.js").Probe} uses.probe
 * @param {import("../viewer/stage.js").Stage} uses.stage
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 */
export const createSection = (page, { editor, group, inside, frames, picture, probe, stage, aim }) => {
  const canvas = byRef("section");
  const asking = new Newest((request) => section.fetch(request));

  const section = reactive({
    pixel: { x: Math.floor(page.width / 2), y: Math.floor(page.height / 2) },
    pinned: false,
    slabs: [],
    gathered: [],
    isLog: false,
    isNear: false, // only where this pixel has samples

    pin(pixel) {
      this.pinned = !this.pinned || pixel.x !== this.pixel.x || pixel.y !== this.pixel.y;
      this.goToPixel(pixel);
    },
    goToPixel({ x, y }) {
      if (x === this.pixel.x && y === this.pixel.y) return;
      this.pixel = { x, y };
      this.ask();
    },
    // The pixel under the pointer, unless one is fixed.
    follow(pixel) {
      if (pixel && !this.pinned) this.goToPixel(pixel);
    },
    stepPixel(across, down) {
      this.pinned = true;
      this.goToPixel({
        x: Math.min(page.width - 1, Math.max(0, this.pixel.x + across)),
        y: Math.min(page.height - 1, Math.max(0, this.pixel.y + down)),
      });
      stage.set({ mark: this.pixel });
    },
    get pixelText() { return `pixel ${this.pixel.x}, ${this.pixel.y}${this.pinned ? ", fixed" : ""}`; },
    get text() {
      const count = this.slabs.length;
      const total = this.gathered.at(-1)?.[1] ?? 0;
      return `${this.pixelText}: ${count} sample${count === 1 ? "" : "s"}, alpha ${total.toFixed(4)}`;
    },
    ask() { asking.ask({ ...picture.asked(), ...this.pixel }); },
    async fetch(request) {
      try {
        Object.assign(this, await (await post(page.urls.section, request)).json());
      } catch {
        this.slabs = []; // the picture says why
        this.gathered = [];
      }
      this.draw();
    },
    toggleLog() {
      this.isLog = !this.isLog;
      this.draw();
    },
    toggleNear() {
      this.isNear = !this.isNear;
      this.draw();
    },

    // ---- Across and back ----
    get reach() {
      let { near, far } = inside.facts;
      if (this.isNear && this.slabs.length) {
        near = Math.min(...this.slabs.map(({ front }) => front));
        far = Math.max(...this.slabs.map(({ back }) => back));
      }
      for (const row of group.cards) {
        const depth = at(row.depth, frames.current);
        if (row.on && !row.depth_from) [near, far] = [Math.min(near, depth), Math.max(far, depth)];
      }
      const room = (far - near || 1) * 0.04;
      return [near - room, far + room];
    },
    scale() {
      const [near, far] = this.reach;
      const wide = canvas.getBoundingClientRect().width - LEFT - RIGHT;
      // Logarithmic from the nearest on, in whatever units depth has.
      const unit = (far - near) / 100;
      const bend = this.isLog
        ? (depth) => Math.log1p((depth - near) / unit) / Math.log1p(100)
        : (depth) => (depth - near) / (far - near);
      const straighten = this.isLog
        ? (share) => near + unit * Math.expm1(share * Math.log1p(100))
        : (share) => near + share * (far - near);
      return { x: (depth) => LEFT + wide * bend(depth), depth: (x) => straighten((x - LEFT) / wide) };
    },

    // ---- Dragging a card ----
    grabbed(event) {
      const box = canvas.getBoundingClientRect();
      const { x } = this.scale();
      const near = group.cards
        .filter((row) => row.on)
        .map((row) => ({ row, far: Math.abs(x(this.cardDepth(row)) - (event.clientX - box.left)) }));
      near.sort((a, b) => a.far - b.far || Number(b.row.id === group.chosen) - Number(a.row.id === group.chosen));
      return near[0]?.far <= GRAB ? near[0].row : null;
    },
    // Of a card with depths of its own, where it stands at this pixel.
    cardDepth(row) {
      const here = this.slabs.find((slab) => slab.row === row.id);
      return row.depth_from && here ? here.front : at(row.depth, frames.current);
    },
    press(event) {
      const row = this.grabbed(event);
      if (!row || !editor.mayChange) return;
      const { depth } = this.scale();
      const left = canvas.getBoundingClientRect().left;
      const begun = group.depthOf(row) - depth(event.clientX - left);
      group.choose(row);
      canvas.setPointerCapture(event.pointerId);
      let value = group.depthOf(row);
      const move = (change) => {
        value = begun + depth(change.clientX - left);
        group.slideDepth(row, value);
      };
      canvas.addEventListener("pointermove", move);
      canvas.addEventListener("lostpointercapture", () => {
        canvas.removeEventListener("pointermove", move);
        group.setDepth(row, Number(value.toPrecision(5)));
      }, { once: true });
    },

    // ---- Drawing ----
    draw() {
      const box = canvas.getBoundingClientRect();
      if (!box.width) return;
      const ratio = window.devicePixelRatio || 1;
      canvas.width = Math.round(box.width * ratio);
      canvas.height = Math.round(box.height * ratio);
      const pen = canvas.getContext("2d");
      pen.scale(ratio, ratio);
      const style = getComputedStyle(canvas);
      const tone = (name) => style.getPropertyValue(name);
      const { x, depth } = this.scale();
      const y = (alpha) => box.height - BOTTOM - Math.min(1, Math.max(0, alpha)) * (box.height - TOP - BOTTOM);
      pen.font = `11px ${style.fontFamily}`;
      pen.fillStyle = tone("--quiet");
      pen.strokeStyle = tone("--line");
      pen.textAlign = "right";
      for (const alpha of [0, 0.5, 1]) {
        pen.fillText(String(alpha), LEFT - 6, y(alpha) + 4);
        pen.strokeRect(LEFT, Math.round(y(alpha)) + 0.5, box.width - LEFT - RIGHT, 0);
      }
      pen.textAlign = "center";
      for (let tick = 0; tick <= TICKS; tick++) {
        const place = LEFT + (tick / TICKS) * (box.width - LEFT - RIGHT);
        pen.textAlign = tick === TICKS ? "right" : tick ? "center" : "left";
        pen.fillText(Number(depth(place).toPrecision(3)), place, box.height - 6);
      }
      for (const slab of this.slabs) {
        const left = x(slab.front);
        const wide = Math.max(LEAST_WIDE, x(slab.back) - left);
        const top = Math.min(y(slab.alpha), y(0) - 2);
        pen.globalAlpha = 0.15 + 0.85 * slab.through;
        pen.fillStyle = `rgb(${slab.code.join(",")})`;
        pen.fillRect(left, top, wide, y(0) - top);
        pen.globalAlpha = 1;
        pen.strokeStyle = tone(slab.row === group.chosen ? "--focus" : "--bar");
        pen.strokeRect(left, top, wide, y(0) - top);
      }
      pen.strokeStyle = tone("--text");
      pen.lineWidth = 1.5;
      pen.beginPath();
      pen.moveTo(LEFT, y(0));
      for (const [where, alpha] of this.gathered) pen.lineTo(Math.max(LEFT, x(where)), y(alpha));
      pen.lineTo(box.width - RIGHT, y(this.gathered.at(-1)?.[1] ?? 0));
      pen.stroke();
      pen.lineWidth = 1;
      for (const row of group.cards) if (row.on) this.drawHandle(pen, row, x(this.cardDepth(row)), box, tone);
    },
    drawHandle(pen, row, place, box, tone) {
      pen.strokeStyle = pen.fillStyle = tone(row.id === group.chosen ? "--focus" : "--quiet");
      pen.setLineDash([4, 3]);
      pen.beginPath();
      pen.moveTo(place, HANDLE);
      pen.lineTo(place, box.height - BOTTOM);
      pen.stroke();
      pen.setLineDash([]);
      pen.fillRect(place - 4, HANDLE - 4, 8, 10);
      pen.textAlign = place > box.width / 2 ? "right" : "left";
      pen.fillText(row.id, place + (place > box.width / 2 ? -8 : 8), HANDLE + 5);
    },
  });

  new ResizeObserver(() => section.draw()).observe(canvas);
  new MutationObserver(() => section.draw()).observe(document.documentElement, { attributeFilter: ["data-bs-theme"] });
  canvas.addEventListener("pointerdown", (event) => section.press(event));
  canvas.addEventListener(
    "pointermove",
    (event) => (canvas.style.cursor = section.grabbed(event) ? "ew-resize" : "default"),
  );
  let from = null;
  stage.canvas.addEventListener("pointerdown", (event) => (from = [event.clientX, event.clientY]));
  stage.canvas.addEventListener("pointerup", (event) => {
    const still = from && Math.hypot(event.clientX - from[0], event.clientY - from[1]) < 3;
    if (still && !aim.name && probe.pointer) section.pin(probe.pointer);
  });
  return section;
};
