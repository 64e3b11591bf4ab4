// The Render station: a wall of frames that fills, the latest picture, and runs side by side.
import { get, ofFault, pageData, post } from "../api.js";
import { duration } from "../numbers.js";
import { megabytes } from "../plan/fields.js";
import { byRef, nextTick } from "../reactive.js";
import { createViewer } from "../viewer/index.js";
import { createLatest } from "./latest.js";

const EVERY = 1000;
const REST = 5000;
const GAP = 2;
const LEAST = 5;
const MOST = 20;
const TALLEST = 64; // of a row, where there is room
const LEFT = 130; // for the names of the rows
const NUMBER = 34; // room for the last of them
const TOP = 16; // for the numbers of the frames
const STATES = {
  queued: "waiting",
  running: "rendering",
  waiting: "waiting",
  failed: "frames failed",
  cancelled: "cancelled",
  done: "done",
};
const LETTERS = { q: "waiting", r: "being rendered", d: "rendered", s: "already there", f: "failed", c: "cancelled" };

export default () => {
  const page = pageData();
  const at = (name, key) => page.urls[name].replace("/0/", `/${key}/`);

  // The latest picture of a run, or the frame that was chosen on the wall. The task knows which frame it is.
  const { parts: viewer } = createViewer({ ...page.picture, frame: 0 }, {
    subject: () =>
      latest.task ? { kind: "run", task: latest.task, key: latest.pass, denoised: latest.denoised } : null,
    title: () => latest.title,
    frames: () => [],
    probeKey: () => (probe.lines.find((line) => line.key === latest.pass) ?? probe.lines[0])?.key ?? "",
    data: () => (latest.chosen?.data ? latest.chosen : null),
    origins: () =>
      latest.passes.length
        ? [{ id: "frame", text: "this frame", items: latest.passes.map(({ key, title }) => ({ key, text: title })) }]
        : [],
    otherSubject: (_, key) => ({ kind: "run", task: latest.task, key, denoised: false }),
  });
  const { picture, probe } = viewer;
  const latest = createLatest(() => picture.refresh());

  return {
    ...viewer, latest,
    ...page.progress,
    mayChange: page.mayChange,
    plannedFrames: page.frames,
    layers: page.layers,
    labels: page.labels,
    wantedFrames: "",
    every: "1",
    onlyMissing: true,
    chosenLayers: [],
    chosenLabels: [],
    busy: false,
    fault: null,
    detail: null,
    hoverText: "",
    scene: page.scene,
    sceneFault: page.sceneFault,
    compared: [],
    comparison: null,

    init() {
      new ResizeObserver(() => this.draw()).observe(byRef("scroll"));
      this.took(page.progress);
      this.follow();
    },
    async follow() {
      for (;;) {
        await new Promise((done) => setTimeout(done, this.isOpen ? EVERY : REST));
        if (!document.hidden) await this.renew();
      }
    },
    async renew() {
      const shown = this.wall ? `?run=${this.wall.id}` : "";
      try {
        this.took(await (await get(`${page.urls.progress}${shown}`)).json());
      } catch (error) {
        this.fault = ofFault(error);
      }
    },
    took(progress) {
      Object.assign(this, progress);
      const newest = this.wall?.newest;
      if (newest && !this.detail) latest.show(newest);
      const state = this.wall ? `${this.wall.good} of ${this.wall.whole}` : "nothing rendered";
      window.dispatchEvent(new CustomEvent("eager:keeping", { detail: state }));
      nextTick(() => this.draw());
    },
    async attempt(work) {
      this.busy = true;
      this.fault = null;
      try {
        await work();
      } catch (error) {
        this.fault = ofFault(error);
      }
      this.busy = false;
    },
    get faultWhat() { return this.fault?.what ?? ""; },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },

    // ---- Starting ----
    start(more = {}) {
      const wish = {
        ...more,
        frames: this.wantedFrames,
        every: Number(this.every),
        onlyMissing: this.onlyMissing,
        layers: this.chosenLayers,
        lightGroups: this.chosenLabels,
      };
      return this.attempt(async () => {
        this.detail = null;
        this.took(await (await post(page.urls.start, wish)).json());
      });
    },
    // The files of a version stay as they are: with another scene or plan there is one more version.
    get needsVersion() { return this.mayChange && ["render.kept", "plan.locked"].includes(this.fault?.code); },
    async startVersion() {
      await this.start({ newVersion: true });
      if (!this.fault) window.location.reload();
    },
    change(action, more = {}) {
      return this.attempt(async () =>
        this.took(await (await post(page.urls.change, { run: this.wall.id, action, ...more })).json()),
      );
    },
    goFirst() { return this.change("priority", { priority: 1 }); },
    get versionText() { return `v${String(page.version).padStart(3, "0")}`; },
    get manyLayers() { return this.layers.length > 1; },
    get layersText() { return this.chosenLayers.length ? this.chosenLayers.join(", ") : "all layers"; },
    get labelsText() { return this.chosenLabels.length ? `only ${this.chosenLabels.join(", ")}` : "all light groups"; },
    get workersText() {
      return this.workers.length
        ? `${this.workers.length === 1 ? "worker" : "workers"} ${this.workers.join(", ")}`
        : "no worker is running";
    },

    // ---- The run shown ----
    get run() { return this.runs.find((run) => run.id === this.wall?.id); },
    get runTitle() { return this.run ? `${this.runName(this.run)}, ${this.runVersion(this.run)}` : ""; },
    get isOpen() {
      return this.runs.some((run) => run.id === this.wall?.id && ["running", "waiting"].includes(run.state));
    },
    get canResume() { return ["failed", "cancelled"].includes(this.run?.state); },
    get isFirst() { return this.run?.priority === 1; },
    get countText() { return this.wall ? `${this.wall.good} of ${this.wall.whole} frames` : ""; },
    get timesText() {
      if (!this.wall) return "";
      const { elapsed, left, perFrame } = this.wall;
      return [
        perFrame === null ? "" : `${duration(perFrame)} a frame`,
        `${duration(elapsed)} so far`,
        left === null ? "" : `about ${duration(left)} left`,
      ]
        .filter(Boolean)
        .join(" · ");
    },
    get bytesText() { return this.wall ? megabytes(this.wall.bytes) : ""; },
    get stalled() { return Boolean(this.wall?.stalled); },
    get stalledText() { return this.wall?.stalled ?? ""; },
    get failed() { return this.wall?.failed ?? []; },
    get wallLabel() {
      return this.wall ? `${this.countText} rendered, in ${this.wall.rows.length} rows` : "no frames";
    },

    // ---- The wall ----
    get cell() {
      const room = (byRef("scroll").clientWidth - LEFT - NUMBER) / Math.max(1, this.wall.numbers.length);
      return Math.max(LEAST, Math.min(MOST, Math.floor(room)));
    },
    // Rows are as high as the room allows, so that a small run is not a line at the top of an empty page.
    get tall() {
      const room = (byRef("scroll").parentElement.clientHeight - 170) / Math.max(1, this.wall.rows.length) - GAP;
      return Math.max(MOST, Math.min(TALLEST, Math.floor(room)));
    },
    draw() {
      if (!this.wall || !byRef("scroll").clientWidth) return;
      const canvas = byRef("wall");
      const cell = this.cell;
      const width = LEFT + this.wall.numbers.length * cell + NUMBER;
      const tall = this.tall;
      const height = TOP + this.wall.rows.length * (tall + GAP);
      const scale = window.devicePixelRatio || 1;
      canvas.width = width * scale;
      canvas.height = height * scale;
      Object.assign(canvas.style, { width: `${width}px`, height: `${height}px` });
      const pen = canvas.getContext("2d");
      pen.scale(scale, scale);
      const style = getComputedStyle(canvas);
      const colours = {
        line: style.getPropertyValue("--line"),
        focus: style.getPropertyValue("--focus"),
        text: style.getPropertyValue("--text"),
        quiet: style.getPropertyValue("--quiet"),
        bad: style.getPropertyValue("--bad"),
      };
      pen.font = "12px Mono, monospace";
      pen.textBaseline = "middle";
      const shares = new Map(this.wall.running.map((task) => [task.key, task.share]));
      this.numbers(pen, cell, colours);
      this.wall.rows.forEach((row, line) => {
        const y = TOP + line * (tall + GAP);
        pen.fillStyle = colours.quiet;
        pen.fillText(`${row.layer} ${row.camera}`.slice(0, 16), 0, y + tall / 2);
        [...row.states].forEach((state, place) =>
          square(
            pen,
            LEFT + place * cell,
            y,
            { side: cell - (cell > 7 ? GAP : 1), tall },
            state,
            shares.get(row.keys[place]) ?? 0,
            colours,
          ),
        );
      });
    },
    numbers(pen, cell, colours) {
      const { numbers } = this.wall;
      const step = Math.max(1, Math.ceil(44 / cell));
      pen.fillStyle = colours.quiet;
      numbers.forEach((number, place) => place % step === 0 && pen.fillText(number, LEFT + place * cell, 6));
    },
    found(event) {
      const box = byRef("wall").getBoundingClientRect();
      const place = Math.floor((event.clientX - box.left - LEFT) / this.cell);
      const row = this.wall.rows[Math.floor((event.clientY - box.top - TOP) / (this.tall + GAP))];
      return row && place >= 0 && row.keys[place]
        ? { row, place, key: row.keys[place], number: this.wall.numbers[place] }
        : null;
    },
    hover(event) {
      const found = this.found(event);
      this.hoverText = found
        ? `${found.row.layer} ${found.row.camera} ${found.number}: ${LETTERS[found.row.states[found.place]]}`
        : "";
    },
    leave() { this.hoverText = ""; },
    pick(event) {
      const found = this.found(event);
      if (found) this.look(found.key);
    },
    look(key) {
      return this.attempt(async () => {
        this.detail = await (await get(at("frame", key))).json();
        latest.look(key, this.detail);
      });
    },
    async openPicture() { if (!this.detail && latest.task) await this.look(latest.task); },
    get outdatedText() { return this.outdated ?? ""; },
    get elsewhere() { return this.scene?.kind !== "file"; },
    get sceneText() {
      if (this.sceneFault) return `The scene cannot be read: ${this.sceneFault.what} ${this.sceneFault.where}`;
      if (!this.scene)
        return "This shot has no scene that can be rendered here. Import one on the page of its scene.";
      const facts = "The scene of this shot is a sheet of facts: its frames are rendered elsewhere.";
      return `${facts} Compare them with the plan, on its page.`;
    },
    get detailTitle() { return this.detail ? `${this.detail.title}: ${this.detail.state}` : ""; },
    get detailText() {
      if (!this.detail) return "";
      const { seconds, samples, noise, bytes, attempts, worker } = this.detail;
      return [
        seconds ? duration(seconds) : "",
        samples ? `${samples.toFixed(0)} samples a pixel` : "",
        samples ? noiseText(noise) : "", // what was there already was not measured
        bytes ? megabytes(bytes) : "",
        `${attempts} ${attempts === 1 ? "attempt" : "attempts"}`,
        worker,
      ]
        .filter(Boolean)
        .join(" · ");
    },
    get detailLog() { return this.detail?.log || "no log yet"; },

    // ---- History ----
    show(run) {
      this.detail = null;
      latest.forget();
      this.wall = { ...this.wall, id: run.id };
      return this.renew();
    },
    isShown(run) { return run.id === this.wall?.id; },
    runName(run) { return `run ${run.id}`; },
    runVersion(run) { return `v${String(run.version).padStart(3, "0")}`; },
    runState(run) { return `${run.good} of ${run.whole}, ${STATES[run.state]}`; },
    runSeconds(run) { return run.seconds === null ? "" : duration(run.seconds); },
    runNoise(run) { return run.noise === null ? (run.seconds === null ? "" : "not known") : run.noise.toFixed(4); },
    runBytes(run) { return megabytes(run.bytes); },
    runMade(run) { return `${run.made.slice(0, 16).replace("T", " ")} ${run.author}`; },
    compareLabel(run) { return `compare ${this.runName(run)}`; },
    isCompared(run) { return this.compared.includes(run.id); },
    toggleCompared(run) {
      this.compared = this.isCompared(run)
        ? this.compared.filter((id) => id !== run.id)
        : [...this.compared, run.id].slice(-2);
      this.comparison = null;
      if (this.compared.length === 2) this.compare();
    },
    compare(wanted = {}) {
      const [a, b] = [...this.compared].sort((x, y) => x - y);
      const query = new URLSearchParams({ a, b, ...wanted });
      return this.attempt(async () => (this.comparison = await (await get(`${page.urls.compare}?${query}`)).json()));
    },
    get wanted() {
      const { number, layer, camera, pass } = this.comparison;
      return { frame: number, layer, camera, pass };
    },
    compareFrame({ target: { value } }) { return this.compare({ ...this.wanted, frame: value }); },
    comparePass({ target: { value } }) { return this.compare({ ...this.wanted, pass: value }); },
    compareImage({ target: { value } }) { return this.compare({ ...this.wanted, ...this.comparison.images[value] }); },
    get comparedImages() { return this.comparison?.images ?? []; },
    imageText(image) { return `${image.layer}, ${image.camera}`; },
    isComparedImage(image) {
      return this.comparison?.layer === image.layer && this.comparison?.camera === image.camera;
    },
    get comparedPasses() { return this.comparison?.passes ?? []; },
    isComparedPass(pass) { return this.comparison?.pass === pass.key; },
    get comparedFrames() { return this.comparison?.frames ?? []; },
    isComparedFrame(number) { return this.comparison?.number === number; },
    get firstUrl() {
      return this.comparison ? `${at("picture", this.comparison.keys[0])}?pass=${this.comparison.pass}` : "";
    },
    get secondUrl() {
      return this.comparison ? `${at("picture", this.comparison.keys[1])}?pass=${this.comparison.pass}` : "";
    },
    get differenceUrl() {
      if (!this.comparison) return "";
      const [a, b] = this.comparison.runs;
      return `${page.urls.difference}?${new URLSearchParams({ a: a.id, b: b.id, ...this.wanted })}`;
    },
    get firstText() { return this.comparison ? costs(this.comparison.runs[0]) : ""; },
    get secondText() { return this.comparison ? costs(this.comparison.runs[1]) : ""; },
    get differenceText() {
      if (this.comparison?.identical) return `${this.comparison.title}: the pictures are the same, bit for bit`;
      return this.differenceNumbers;
    },
    get differenceNumbers() {
      if (!this.comparison) return "";
      const { title, mean, largest } = this.comparison;
      return `${title}: mean difference ${mean.toPrecision(3)}, largest ${largest.toPrecision(3)}`;
    },
  };
};

function costs(run) {
  const version = `v${String(run.version).padStart(3, "0")}`;
  const samples = `${run.samples?.toFixed(0) ?? "?"} samples`;
  return `run ${run.id}, ${version}: ${duration(run.seconds)} a frame, ${samples}, ${noiseText(run.noise)}`;
}

const noiseText = (noise) =>
  noise === null || noise === undefined
    ? "noise not known: one sample a pixel does not tell"
    : `noise ${noise.toFixed(4)}`;

// Waiting is an outline; rendering fills from below; rendered is full; already there is half; failed is full in its own
// colour.
function square(pen, x, y, { side, tall }, state, share, colours) {
  if (state === " ") return;
  pen.strokeStyle = state === "f" ? colours.bad : colours.line;
  pen.strokeRect(x + 0.5, y + 0.5, side - 1, tall - 1);
  if (state === "d") fill(pen, x, y, side, tall, 1, colours.focus);
  if (state === "s") fill(pen, x, y, side, tall, 0.5, colours.quiet);
  if (state === "r") fill(pen, x, y, side, tall, Math.max(0.08, share), colours.text);
  if (state === "f") fill(pen, x, y, side, tall, 1, colours.bad);
  if (state === "c") {
    pen.beginPath();
    pen.moveTo(x + 2, y + tall - 2);
    pen.lineTo(x + side - 2, y + 2);
    pen.stroke();
  }
}

function fill(pen, x, y, side, tall, share, colour) {
  pen.fillStyle = colour;
  const height = Math.round(tall * share);
  pen.fillRect(x, y + tall - height, side, height);
}
