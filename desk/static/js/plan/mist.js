// Mist settings on a side view of the camera and the scene: its near and far end are dragged on it, the picture
// answers.
import { get } from "../api.js";
import { byRef, reactive } from "../reactive.js";

const SVG = "http://www.w3.org/2000/svg";
const WIDE = 800;
const HIGH = 300;
const LEFT = 34; // room for the camera
const MORE = 1.35; // how far beyond the far end of the mist is shown
const LEAST = 0.01; // between near and far
const RAMP = { wide: 64, high: 26 };

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createMist = (page, { editor }) => {
  const { urls, scene } = page;
  let shapes = null;
  let pictureWanted = "";
  let pictureLoading = false;

  return reactive({
    camera: page.plan.cameras[0] ?? scene.cameras.find(({ working }) => !working)?.name ?? "",
    dragged: null, // the mist while it is dragged
    shownTo: 1,
    picture: "",
    computing: false,

    get mist() { return this.dragged ?? editor.plan.mist ?? scene.mist ?? { near: 1, far: 11, power: 1 }; },
    get rampPath() {
      const { ramp } = editor.answer;
      const at = (mist, step) => `${(step / (ramp.length - 1)) * RAMP.wide},${RAMP.high * (1 - mist)}`;
      return `M${ramp.map(at).join(" L")}`;
    },
    get rampLabel() { return `ramp from near to far with power ${this.mist.power}`; },
    get ownMist() { return editor.plan.mist !== null; },
    get reachText() {
      const reach = scene.reach[this.camera];
      return reach
        ? `What ${this.camera} sees is from ${reach[0].toFixed(1)} to ${reach[1].toFixed(1)} along its axis.`
        : "";
    },
    chooseCamera({ target: { value } }) {
      this.camera = value;
      this.load();
    },
    async load() {
      if (!this.camera || !scene.name) return;
      await editor.attempt(async () => {
        shapes = await (await get(`${urls.side}?camera=${encodeURIComponent(this.camera)}`)).json();
        this.redraw();
      });
    },
    redraw() {
      this.shownTo = this.mist.far * MORE;
      this.draw();
      this.preview();
    },

    // ---- Changing ----
    setNear(value) { this.keep(sound({ ...this.mist, near: Math.max(0, round(value)) })); },
    setFar(value) { this.keep(sound({ ...this.mist, far: round(value) })); },
    setPower(value) { this.keep({ ...this.mist, power: value }); },
    asInScene() { this.keep(null); },
    keep(mist) {
      this.dragged = null;
      editor.put("mist", mist);
    },
    slide(mist) {
      this.dragged = mist;
      this.draw();
      this.preview();
    },

    // ---- The picture: the next one is asked for when the last has come ----
    preview() {
      const { near, far, power } = this.mist;
      pictureWanted = `${urls.mist}?camera=${encodeURIComponent(this.camera)}&near=${near}&far=${far}&power=${power}`;
      this.nextPicture();
    },
    nextPicture() {
      if (pictureLoading || !pictureWanted || pictureWanted === this.picture) return;
      pictureLoading = true;
      this.computing = true;
      this.picture = pictureWanted;
    },
    pictureCame() {
      pictureLoading = false;
      this.computing = false;
      this.nextPicture();
    },
    get mistAlt() { return `Mist seen through ${this.camera}: black is clear, white is full mist`; },

    // ---- The side view ----
    draw() {
      const svg = byRef("side");
      if (!svg || !shapes) return;
      const scale = (WIDE - LEFT - 20) / this.shownTo;
      const x = (depth) => LEFT + depth * scale;
      const y = (height) => HIGH / 2 - height * scale;
      const edge = Math.tan((shapes.angle * Math.PI) / 180) * this.shownTo * 1.2;
      const parts = [
        gradient(this.mist, editor.answer.ramp, this.shownTo * 1.2),
        element("polygon", {
          class: "seen",
          points: `${x(0)},${y(0)} ${x(this.shownTo * 1.2)},${y(edge)} ${x(this.shownTo * 1.2)},${y(-edge)}`,
        }),
        ...silhouettes(shapes.outlines, x, y),
        element("rect", {
          class: "haze",
          x: x(0),
          y: 0,
          width: this.shownTo * 1.2 * scale,
          height: HIGH,
          fill: "url(#haze)",
        }),
        element("path", { class: "camera", d: `M${x(0)},${y(0)} l-22,-12 v24 z` }),
        ...ticks(this.shownTo).flatMap((depth) => [
          element("line", { class: "tick", x1: x(depth), x2: x(depth), y1: HIGH - 22, y2: HIGH - 16 }),
          element("text", { class: "tick", x: x(depth), y: HIGH - 4, "text-anchor": "middle" }, String(depth)),
        ]),
        this.grip("near", this.mist.near, x, scale),
        this.grip("far", this.mist.far, x, scale),
      ];
      const held = /** @type {SVGElement} */ (document.activeElement)?.dataset?.grip;
      svg.replaceChildren(...parts);
      if (held) svg.querySelector(`[data-grip="${held}"]`).focus();
    },
    grip(which, depth, x, scale) {
      const at = x(depth);
      const group = element("g", {
        class: "grip",
        tabindex: editor.mayChange ? 0 : -1,
        role: "slider",
        "data-grip": which,
        "aria-label": `${which} end of the mist`,
        "aria-valuenow": round(depth),
        "aria-valuemin": 0,
        "aria-valuemax": round(this.shownTo),
      });
      group.append(
        element("line", { x1: at, x2: at, y1: 0, y2: HIGH - 24 }),
        element("rect", { class: "hold", x: at - 8, y: 0, width: 16, height: HIGH - 24 }),
        element("rect", { class: "knob", x: at - 5, y: which === "near" ? 30 : 60, width: 10, height: 22 }),
        element("text", { x: at + 10, y: which === "near" ? 45 : 75 }, `${which} ${round(depth)}`),
      );
      if (!editor.mayChange) return group;
      group.addEventListener("pointerdown", (event) => this.press(event, which, scale));
      group.addEventListener("keydown", (event) => this.nudge(event, which));
      return group;
    },
    press(event, which, scale) {
      event.preventDefault();
      const svg = byRef("side");
      const perPixel = WIDE / svg.getBoundingClientRect().width / scale;
      const from = event.clientX;
      const before = this.mist;
      svg.setPointerCapture(event.pointerId);
      const move = (change) => this.slide(moved(before, which, (change.clientX - from) * perPixel));
      svg.addEventListener("pointermove", move);
      svg.addEventListener("lostpointercapture", () => {
        svg.removeEventListener("pointermove", move);
        if (this.dragged) this.keep(this.dragged);
      }, { once: true });
    },
    nudge(event, which) {
      const direction = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
      if (!direction) return;
      event.preventDefault();
      this.keep(moved(this.mist, which, direction * (event.shiftKey ? 1 : event.altKey ? 0.01 : 0.1)));
    },
  });
};

// The near end moves the whole mist; the far end moves alone.
function moved(mist, which, by) {
  if (which === "far") return sound({ ...mist, far: round(mist.far + by) });
  const near = Math.max(0, round(mist.near + by));
  return { ...mist, near, far: round(mist.far + near - mist.near) };
}

const sound = (mist) => ({ ...mist, far: Math.max(round(mist.near + LEAST), mist.far) });

function gradient(mist, ramp, shownTo) {
  const defs = element("defs", {});
  const haze = element("linearGradient", { id: "haze" });
  for (const [step, amount] of ramp.entries()) {
    const share = step / (ramp.length - 1);
    const place = Math.min(1, (mist.near + share * (mist.far - mist.near)) / shownTo);
    haze.append(element("stop", { offset: place, "stop-color": "currentColor", "stop-opacity": 0.55 * amount }));
  }
  defs.append(haze);
  return defs;
}

function ticks(shownTo) {
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500].find((size) => shownTo / size <= 12) ?? 1000;
  return Array.from({ length: Math.floor(shownTo / step) + 1 }, (_, count) => Number((count * step).toFixed(3)));
}

function element(name, attributes, text) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (text !== undefined) made.textContent = text;
  return made;
}

const round = (number) => Number(number.toFixed(3));

// The objects of a group as one shape, however many they are; each still tells its name.
function silhouettes(outlines, x, y) {
  const groups = new Map();
  for (const { name, group, points } of outlines) {
    const outline = element("polygon", {
      points: points.map(([depth, height]) => `${x(depth)},${y(height)}`).join(" "),
    });
    outline.append(element("title", {}, name));
    groups.set(group, [...(groups.get(group) ?? []), outline]);
  }
  return [...groups.values()].map((members) => {
    const silhouette = element("g", { class: "silhouette" });
    silhouette.append(...members);
    return silhouette;
  });
}
