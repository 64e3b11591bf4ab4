// What presses in the picture are for, other than moving it: a distance to take, objects to choose, a shape to draw.
const LEAST_BOX = 3; // pixels of the picture that a pointer moves before it draws a box

export const aiming = (shared) => ({
  aimed: "", // what waits, by a name of its own; empty if nothing
  aimText: "",

  theStage() { return shared.stage; },
  isAimed(name) { return this.aimed === name; },
  // A tool of the stage. Aiming at the same again gives up.
  aim(name, text, tool) {
    const again = this.aimed === name;
    this.dropAim();
    if (again) return;
    this.aimed = name;
    this.aimText = text;
    shared.stage.set({ tool });
  },
  dropAim() {
    this.aimed = this.aimText = "";
    shared.stage.set({ tool: null, box: null });
  },
  // The next press gives its pixel.
  aimOnce(name, text, then) {
    this.aim(name, text, {
      release: (at) => {
        const pixel = { x: Math.floor(at.x), y: Math.floor(at.y) };
        if (!shared.stage.isInside(pixel)) return;
        this.dropAim();
        this.guarded(() => then(pixel));
      },
    });
  },
  // Every press gives its pixel, every drag a box: { x, y, x1, y1 }.
  aimOften(name, text, then) {
    const { stage } = shared;
    let from = null;
    this.aim(name, text, {
      press: (at) => (from = at),
      move: (at) => stage.dragBox(floored(from), floored(at)),
      release: (at) => {
        const dragged = Math.max(Math.abs(at.x - from.x), Math.abs(at.y - from.y)) >= LEAST_BOX;
        const pixel = floored(at);
        const box = dragged && stage.box ? stage.box : { ...pixel, x1: pixel.x, y1: pixel.y };
        stage.set({ box: null });
        if (dragged || stage.isInside(pixel)) this.guarded(() => then(box));
      },
    });
  },
});

const floored = ({ x, y }) => ({ x: Math.floor(x), y: Math.floor(y) });
