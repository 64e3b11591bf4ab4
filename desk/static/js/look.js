// The viewer by itself: any pass of any element of a shot, with what is needed to distrust it.
import "./num-field.js";
import { pageData, post } from "./api.js";
import { Newest } from "./newest.js";
import { AHEAD, MOST_KEPT, PLAY_WIDTH, Reel } from "./reel.js";
import { Ribbon } from "./ribbon.js";
import { drawHistogram, drawVectors, drawWaveform, pixelsOf } from "./scopes.js";
import { NUMBERS_FROM, Stage } from "./stage.js";

const SURROUNDS = ["mid", "dark", "light"];
const FLICKER = 350; // milliseconds
const REST = 300; // milliseconds without a further step
const SLOW = 200; // milliseconds after which the page says that it reads
const COMPARISONS = ["", "wipe", "difference", "flicker", "beside"];

export default () => {
  const page = pageData();
  const viewer = crypto.randomUUID();
  let stage = null;
  let ribbon = null;
  let reel = null;
  let serial = 0;
  let probeTimer = 0;
  let flickerTimer = 0;
  let valuesTimer = 0;
  let restTimer = 0;
  let mainBitmap = null;

  return {
    elements: page.elements,
    views: page.views,
    element: page.element,
    key: page.key,
    frame: page.frame,
    other: { element: page.element, key: page.key, frame: page.frame },
    follows: true, // the other picture steps along with the frame
    comparison: "",
    angle: 0,
    gain: 1,
    stops: 0,
    gamma: 1,
    viewName: page.views.at(-1).key,
    channel: "rgb",
    ground: "black",
    surround: "mid",
    way: "auto",
    near: "",
    far: "",
    log: false,
    marks: [],
    zoom: 1,
    scoping: false,
    reading: false,
    spread: false, // all passes at once instead of one
    playing: false,
    busy: false,
    pointer: null,
    box: null,
    lines: [],
    fault: null,

    init() {
      stage = new Stage(this.$refs.canvas, {
        width: page.width,
        height: page.height,
        aspect: page.aspect,
        onPointer: (at) => this.point(at),
        onZoom: (zoom) => this.zoomed(zoom),
        onBox: (box) => this.boxed(box),
      });
      ribbon = new Ribbon(this.$refs.ribbon, { onChoose: (frame) => this.goTo(frame) });
      reel = new Reel({
        most: MOST_KEPT,
        fetch: (frame) => this.bitmap({ ...this.asked(), frame, encoding: "jpeg", width: PLAY_WIDTH, serial: 0, viewer: "" }),
        onKept: () => ribbon.show({ kept: reel.frames }),
      });
      this.pictures = new Newest((request) => this.fetchPicture(request));
      this.probes = new Newest((request) => this.fetchProbe(request));
      this.numbers = new Newest((request) => this.fetchValues(request));
      this.showRibbon();
      this.refresh();
    },

    // ---- What is shown ----
    get shown() { return this.elements.find((element) => element.id === this.element); },
    get passes() { return this.shown.passes; },
    get pass() { return this.passes.find((held) => held.key === this.key); },
    get title() { return `${this.pass?.title ?? this.key} · frame ${this.frame}`; },
    get frames() { return this.shown.frames; },
    get isData() { return this.pass?.data ?? false; },
    get isRange() { return this.isData && (this.way === "range" || (this.way === "auto" && page.ways[this.key] === "range")); },
    elementText(element) { return element.name; },
    async chooseElement(event) {
      this.element = Number(event.target.value);
      if (!this.passes.some((held) => held.key === this.key)) this.key = this.passes[0]?.key ?? "";
      if (this.frames.length && !this.frames.includes(this.frame)) this.frame = this.frames[0];
      this.showRibbon();
      this.refresh();
    },
    choosePass(key) {
      this.key = key;
      this.way = "auto";
      this.near = this.far = "";
      this.refresh();
    },
    isShown(held) { return held.key === this.key; },
    stepPass(by) {
      const at = this.passes.findIndex((held) => held.key === this.key) + by;
      if (this.passes[at]) this.choosePass(this.passes[at].key);
    },

    // ---- How ----
    look(setting, value, sliding) {
      this[{ view: "viewName" }[setting] ?? setting] = value;
      this.askPicture(sliding ? { encoding: "jpeg" } : {});
      if (!sliding) this.askProbe();
    },
    found: [0, 1], // nearest and farthest surface of what was shown last
    get nearShown() { return this.near === "" ? this.found[0] : this.near; },
    get farShown() { return this.far === "" ? this.found[1] : this.far; },
    get rangeStep() { return Math.max(1e-4, (this.found[1] - this.found[0]) / 200); },
    setEnd(end, value, sliding = false) {
      this[end] = value;
      this.askPicture(sliding ? { encoding: "jpeg" } : {});
    },
    wholeRange() {
      this.near = this.far = "";
      this.askPicture({});
    },
    toggleMark(mark) {
      this.marks = this.marks.includes(mark) ? this.marks.filter((other) => other !== mark) : [...this.marks, mark];
      this.askPicture({});
    },
    hasMark(mark) { return this.marks.includes(mark); },
    asked() {
      const end = (text) => (text === "" ? null : Number(text));
      return {
        element: this.element, key: this.key, frame: this.frame, view: this.viewName, stops: this.stops, gamma: this.gamma,
        channel: this.channel, ground: this.ground, marks: this.marks, viewer,
        remap: { way: this.way, near: end(this.near), far: end(this.far), log: this.log },
      };
    },
    // While frames or passes are stepped through a quick picture comes first, the exact one when it rests.
    refresh() {
      this.nameAddress();
      this.askPicture({ encoding: "jpeg" });
      clearTimeout(restTimer);
      restTimer = setTimeout(() => this.askPicture({}), REST);
      this.askProbe();
    },
    askPicture({ encoding = "png", width = page.width }) {
      this.pictures.ask({ ...this.asked(), encoding, width, serial: ++serial });
    },
    async fetchPicture(request) {
      const slow = setTimeout(() => (this.busy = true), SLOW);
      try {
        const differs = this.comparison === "difference";
        const second = { ...request, ...this.otherPointed };
        const main = await this.bitmap(differs ? { ...request, against: this.otherPointed, gain: this.gain } : request);
        const beside = ["wipe", "flicker", "beside"].includes(this.comparison) ? await this.bitmap(second) : null;
        mainBitmap = main;
        stage.put("main", main);
        stage.put("other", beside);
        this.fault = null;
        this.$refs.canvas.dataset.serial = request.serial;
        if (this.scoping) this.drawScopes();
        this.askValues();
      } catch (error) {
        if (error.code === "work.superseded") return;
        // Nothing of another frame or pass stays on the screen under this one's name.
        mainBitmap = null;
        stage.put("main", null);
        stage.put("other", null);
        stage.set({ numbers: null });
        this.fault = error;
      } finally {
        clearTimeout(slow);
        this.busy = false;
      }
    },
    async bitmap(request) {
      const answer = await post(page.urls.picture, request);
      const ends = answer.headers.get("X-Range");
      if (ends) this.found = ends.split(" ").map(Number);
      return createImageBitmap(await answer.blob());
    },

    // ---- Against another ----
    get otherPointed() { return { ...this.other, frame: this.follows ? this.frame : this.other.frame }; },
    get otherPasses() { return this.elements.find((element) => element.id === this.other.element).passes; },
    compare(way) {
      this.comparison = this.comparison === way ? "" : way;
      clearInterval(flickerTimer);
      stage.set({ wipe: this.comparison === "wipe" ? 0.5 : null, beside: this.comparison === "beside", swapped: false });
      if (this.comparison === "flicker") flickerTimer = setInterval(() => stage.set({ swapped: !stage.swapped }), FLICKER);
      this.askPicture({});
    },
    isComparing(way) { return this.comparison === way; },
    nextComparison() {
      const next = COMPARISONS[(COMPARISONS.indexOf(this.comparison) + 1) % COMPARISONS.length];
      this.compare(next || this.comparison);
    },
    setOther(change) {
      this.other = { ...this.other, ...change };
      if (!this.otherPasses.some((held) => held.key === this.other.key)) this.other.key = this.otherPasses[0].key;
      if (this.comparison) this.askPicture({});
    },
    setFollows(follows) {
      this.follows = follows;
      this.other.frame = this.frame;
      if (this.comparison) this.askPicture({});
    },
    setAngle(value) {
      this.angle = value;
      stage.set({ angle: value });
    },
    setGain(value) {
      this.gain = value;
      this.askPicture({});
    },

    // ---- Probe ----
    point(at) {
      this.pointer = at;
      if (!at || this.box) return;
      clearTimeout(probeTimer);
      probeTimer = setTimeout(() => this.askProbe(), 15);
    },
    boxed(box) {
      this.box = box && (box.x !== box.x1 || box.y !== box.y1) ? box : null;
      if (!this.box) stage.set({ box: null });
      this.askProbe();
    },
    askProbe() {
      const at = this.box ?? this.pointer;
      if (at && !this.playing) this.probes.ask({ ...this.asked(), x: at.x, y: at.y, x1: at.x1 ?? at.x, y1: at.y1 ?? at.y });
    },
    async fetchProbe(request) {
      try {
        this.lines = (await (await post(page.urls.probe, request)).json()).lines;
      } catch {
        this.lines = []; // the picture says why
      }
    },
    toggleReadings() { this.reading = !this.reading; },
    get probeLine() { return this.lines.find((line) => line.key === this.key); },
    get probePlace() {
      if (this.box) return `average of ${this.box.x1 - this.box.x + 1} x ${this.box.y1 - this.box.y + 1} at ${this.box.x}, ${this.box.y}`;
      return this.pointer ? `x ${String(this.pointer.x).padStart(4)}  y ${String(this.pointer.y).padStart(4)}` : "point at the picture";
    },
    get probeStored() { return this.probeLine ? storedText(this.probeLine) : ""; },
    get probeCodes() {
      const codes = this.probeLine?.codes;
      return codes ? `8 bit ${codes[8].join(" ")}   10 bit ${codes[10].join(" ")}   16 bit ${codes[16].join(" ")}` : "";
    },
    get probeSwatch() {
      const codes = this.probeLine?.codes;
      return { backgroundColor: codes ? `rgb(${codes[8].join(",")})` : "transparent" };
    },
    storedOf(line) { return storedText(line); },
    codesOf(line) { return line.codes ? line.codes[8].join(" ") : "data"; },
    lineClass(line) { return { here: line.key === this.key }; },

    // ---- Numbers in single pixels ----
    zoomed(zoom) {
      this.zoom = zoom;
      clearTimeout(valuesTimer);
      valuesTimer = setTimeout(() => this.askValues(), 120);
    },
    askValues() {
      if (!stage || stage.zoom < NUMBERS_FROM || !mainBitmap || this.comparison === "difference") {
        if (stage?.numbers) stage.set({ numbers: null });
        return;
      }
      this.numbers.ask({ ...this.asked(), ...stage.visible });
    },
    async fetchValues(request) {
      try {
        stage.set({ numbers: await (await post(page.urls.values, request)).json() });
      } catch {
        stage.set({ numbers: null });
      }
    },

    // ---- View ----
    fit() { stage.fit(); },
    oneToOne() { stage.zoomTo(1); },
    get zoomText() { return `${Math.round(this.zoom * 100)} %`; },
    nextSurround() { this.surround = SURROUNDS[(SURROUNDS.indexOf(this.surround) + 1) % SURROUNDS.length]; },
    toggleScopes() {
      this.scoping = !this.scoping;
      if (this.scoping) this.$nextTick(() => this.drawScopes());
    },
    drawScopes() {
      if (!mainBitmap) return;
      const pixels = pixelsOf(mainBitmap);
      drawHistogram(this.$refs.histogram, pixels);
      drawWaveform(this.$refs.waveform, pixels);
      drawVectors(this.$refs.vectors, pixels);
    },

    // ---- Frames ----
    showRibbon() {
      ribbon.show({ frames: this.frames, first: page.first, last: page.last, current: this.frame, kept: reel.frames });
    },
    goTo(frame) {
      this.frame = frame;
      this.showRibbon();
      this.refresh();
    },
    stepFrame(by) {
      const at = this.frames.indexOf(this.frame) + by;
      if (at >= 0 && at < this.frames.length) this.goTo(this.frames[at]);
    },
    get playIcon() { return this.playing ? "bi-stop-fill" : "bi-play-fill"; },
    get canPlay() { return this.frames.length > 1; },
    async togglePlay() {
      this.playing = !this.playing && this.canPlay;
      const { frame: _, ...look } = this.asked();
      const named = JSON.stringify(look);
      while (this.playing) {
        const begun = performance.now();
        const at = this.frames.indexOf(this.frame);
        const ahead = Array.from({ length: AHEAD + 1 }, (_, step) => this.frames[(at + 1 + step) % this.frames.length]);
        this.frame = ahead[0];
        try {
          stage.put("main", await createImageBitmap(await reel.picture(ahead[0], named, ahead.slice(1))));
        } catch (error) {
          this.fault = error;
          this.playing = false;
        }
        this.showRibbon();
        await new Promise((resolve) => setTimeout(resolve, Math.max(0, 1000 / page.rate - (performance.now() - begun))));
      }
      this.goTo(this.frame);
    },
    get rateText() { return `${page.rate} fps`; },
    toggleSheet() { this.spread = !this.spread; },
    open(held) {
      this.spread = false;
      this.choosePass(held.key);
    },
    thumb(held) {
      const url = page.urls.thumb.replace("/0/", `/${this.element}/`);
      return `${url}?${new URLSearchParams({ pass: held.key, frame: this.frame, width: 240 })}`;
    },
    get sheetUrl() { return `${page.urls.sheet}?element=${this.element}&frame=${this.frame}&view=${this.viewName}`; },
    get intakeUrl() { return `${page.urls.intake}?element=${this.element}`; },
    nameAddress() {
      window.history.replaceState(null, "", `?${new URLSearchParams({ element: this.element, pass: this.key, frame: this.frame })}`);
    },

    // ---- Keys ----
    pressed(event) {
      if (document.querySelector("dialog[open]")) return;
      if (event.target.closest("input:not([type=checkbox]), select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
      const onButton = event.target.closest("button, a, input");
      const action = {
        ",": () => this.stepFrame(-1),
        ".": () => this.stepFrame(1),
        ArrowUp: () => this.stepPass(-1),
        ArrowDown: () => this.stepPass(1),
        w: () => this.nextComparison(),
        a: () => this.toggleSheet(),
        p: () => this.toggleReadings(),
        s: () => this.toggleScopes(),
        f: () => this.fit(),
        Home: () => this.oneToOne(),
        o: () => this.toggleMark("over"),
        n: () => this.toggleMark("negative"),
        x: () => this.toggleMark("nan"),
        "+": () => this.look("stops", this.stops + 1, false),
        "-": () => this.look("stops", this.stops - 1, false),
        Escape: () => this.boxed(null),
        " ": onButton ? null : () => this.togglePlay(),
      }[event.key];
      if (!action) return;
      event.preventDefault();
      action();
    },
    get faultWhat() { return this.fault?.what ?? String(this.fault ?? ""); },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
  };
};

function number(value) {
  if (typeof value === "string") return value; // NaN and infinities arrive as words
  const size = Math.abs(value);
  return size !== 0 && (size < 1e-3 || size >= 1e4) ? value.toExponential(3) : value.toFixed(5);
}

function storedText(line) {
  const channels = line.stored.map((value, place) => `${line.names[place] ?? ""} ${number(value)}`);
  return [...channels, ...(line.alpha === null ? [] : [`A ${number(line.alpha)}`])].join("  ");
}
