// What presses in the picture are for, other than moving it: a distance to take, objects to choose, a shape to draw.
import { reactive } from "../reactive.js";

const LEAST_BOX = 3; // pixels of the picture that a pointer moves before it draws a box

/** @typedef {ReturnType<typeof createAim>} Aim */

/**
 * @param {import("./stage.js").Stage} stage
 * @param {import("./notices.js").Notices} notices
 */
export const createAim = (stage, notices) => reactive({
  name: "", // what waits, by a name of its own; empty if nothing
  text: "",

  is(name) { return this.name === name; },
  // A tool of the stage. Aiming at the same again gives up.
  start(name, text, tool) {
    const again = this.name === name;
    this.drop();
    if (again) return;
    this.name = name;
    this.text = text;
    stage.set({ tool });
  },
  drop() {
    this.name = this.text = "";
    stage.set({ tool: null, box: null });
  },
  // The next press gives its pixel.
  once(name, text, then) {
    this.start(name, text, {
      release: (at) => {
        const pixel = { x: Math.floor(at.x), y: Math.floor(at.y) };
        if (!stage.isInside(pixel)) return;
        this.drop();
        notices.guarded(() => then(pixel));
      },
    });
  },
  // Every press gives its pixel, every drag a box: { x, y, x1, y1 }.
  often(name, text, then) {
    let from = null;
    this.start(name, text, {
      press: (at) => (from = at),
      move: (at) => stage.dragBox(floored(from), floored(at)),
      release: (at) => {
        const dragged = Math.max(Math.abs(at.x - from.x), Math.abs(at.y - from.y)) >= LEAST_BOX;
        const pixel = floored(at);
        const box = dragged && stage.box ? stage.box : { ...pixel, x1: pixel.x, y1: pixel.y };
        stage.set({ box: null });
        if (dragged || stage.isInside(pixel)) notices.guarded(() => then(box));
      },
    });
  },
});

const floored = ({ x, y }) => ({ x: Math.floor(x), y: Math.floor(y) });
