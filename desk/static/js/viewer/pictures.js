// The picture on the stage: asked for, drawn, and taken away again when it cannot be shown.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { drawHistogram, drawVectors, drawWaveform, pixelsOf } from "./scopes.js";
import { Stage } from "./stage.js";

const SURROUNDS = ["mid", "dark", "light"];
const REST = 300; // milliseconds without a further step
const SLOW = 200; // milliseconds after which the page says that it reads
const SMALLEST = 320; // pixels across, of pictures while something is dragged

export const pictures = (held) => {
  const { page } = held;
  let serial = 0;
  let restTimer = 0;

  return {
    surround: "mid",
    zoom: 1,
    scoping: false,
    busy: false,
    fault: null,

    openViewer() {
      held.stage = new Stage(this.$refs.canvas, {
        width: page.width,
        height: page.height,
        aspect: page.aspect,
        onPointer: (at) => this.point(at),
        onZoom: (zoom) => this.zoomed(zoom),
        onBox: (box) => this.boxed(box),
      });
      held.pictures = new Newest((request) => this.fetchPicture(request));
      this.openProbe();
      this.openFrames();
    },

    // All that says what is shown, and how.
    asked() {
      return { ...this.extra, subject: this.subject, frame: this.frame, ...this.looks, viewer: held.name };
    },
    // While frames or passes are stepped through a quick picture comes first, the exact one when it rests.
    refresh() {
      this.nameAddress();
      if (!this.subject) return this.clear();
      this.askPicture({ encoding: "jpeg" });
      clearTimeout(restTimer);
      restTimer = setTimeout(() => this.askPicture({}), REST);
      this.askProbe();
    },
    // While something is dragged, a picture no larger than it stands on the screen.
    askSliding(more = {}) {
      clearTimeout(restTimer);
      const ratio = window.devicePixelRatio || 1;
      this.askPicture({ ...more, encoding: "jpeg", width: Math.ceil(Math.min(page.width, Math.max(SMALLEST, page.width * this.zoom * ratio))) });
    },
    // The same for a press that wants an answer at once; the exact picture follows when it rests.
    askQuickly() {
      this.askSliding();
      restTimer = setTimeout(() => {
        this.askPicture({});
        this.askProbe();
      }, REST);
    },
    askPicture({ edited = null, encoding = "png", width = 1 << 16 }) {
      held.pictures.ask({ ...this.asked(), edited, encoding, width, serial: ++serial });
    },
    async fetchPicture(request) {
      const slow = setTimeout(() => (this.busy = true), SLOW);
      const { frame: second, subject } = this.otherPointed;
      const other = { subject, frame: second };
      try {
        const main = await this.answer(this.comparison === "difference" ? { ...request, against: other, gain: this.gain } : request);
        const beside = this.showsOther ? await this.bitmap({ ...request, ...other, edited: null }) : null;
        if (main.ends) this.found = main.ends;
        held.stage.size(...main.size);
        held.bitmap = main.bitmap;
        held.stage.put("main", main.bitmap);
        held.stage.put("other", beside);
        this.fault = null;
        Object.assign(this.$refs.canvas.dataset, { serial: request.serial, encoding: request.encoding });
        if (this.scoping) this.drawScopes();
        this.askValues();
      } catch (error) {
        if (error.code === "work.superseded") return;
        this.clear();
        this.fault = error;
      } finally {
        clearTimeout(slow);
        this.busy = false;
      }
    },
    // Nothing of another frame or subject stays on the screen under this one's name.
    clear() {
      held.bitmap = null;
      held.stage.put("main", null);
      held.stage.put("other", null);
      held.stage.set({ numbers: null });
    },
    async bitmap(request) {
      return (await this.answer(request)).bitmap;
    },
    async answer(request) {
      const answer = await post(page.urls.picture, request);
      const ends = answer.headers.get("X-Range")?.split(" ").map(Number);
      return { ends, size: answer.headers.get("X-Size").split(" ").map(Number), bitmap: await createImageBitmap(await answer.blob()) };
    },

    fit() { held.stage.fit(); },
    lookAt(x, y) { held.stage.lookAt(x, y); },
    oneToOne() { held.stage.zoomTo(1); },
    get zoomText() { return `${Math.round(this.zoom * 100)} %`; },
    nextSurround() { this.surround = SURROUNDS[(SURROUNDS.indexOf(this.surround) + 1) % SURROUNDS.length]; },
    toggleScopes() {
      this.scoping = !this.scoping;
      if (this.scoping) this.$nextTick(() => this.drawScopes());
    },
    drawScopes() {
      if (!held.bitmap) return;
      const pixels = pixelsOf(held.bitmap);
      drawHistogram(this.$refs.histogram, pixels);
      drawWaveform(this.$refs.waveform, pixels);
      drawVectors(this.$refs.vectors, pixels);
    },
    get faultWhat() { return this.fault?.what ?? String(this.fault ?? ""); },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
    get faultInFile() { return Boolean(this.fault?.file); },
  };
};
