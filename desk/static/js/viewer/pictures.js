// The picture on the stage: asked for, drawn, and taken away again when it cannot be shown.
import { isSuperseded, ofFault, post } from "../api.js";
import { Newest } from "../newest.js";
import { Pace } from "./pace.js";
import { drawHistogram, drawVectors, drawWaveform, pixelsOf } from "./scopes.js";
import { Stage } from "./stage.js";

const SURROUNDS = ["mid", "dark", "light"];
const REST = 300; // milliseconds without a further step
const PAUSE = 150; // milliseconds that a drag stands still
const SLOW = 200; // milliseconds after which the page says that it reads
const WHOLE = 1 << 16; // pixels across: as many as there are
const BUSY_PAUSE = 3000; // milliseconds after which a picture that was refused for load is asked for again
const SMALLEST = 320; // pixels across, of pictures while something is dragged

export const pictures = (shared) => {
  const { page } = shared;
  const pace = new Pace();
  let serial = 0;
  let drawn = 0; // serial of what is on the screen
  let askedLast = "";
  let restTimer = 0;

  return {
    surround: "mid",
    zoom: 1,
    scoping: false,
    busy: false,
    smaller: "", // why the picture is smaller than it was asked for
    fault: null,

    openViewer() {
      shared.stage = new Stage(this.$refs.canvas, {
        width: page.width,
        height: page.height,
        aspect: page.aspect,
        onPointer: (at) => this.point(at),
        onZoom: (zoom) => this.zoomed(zoom),
        onBox: (box) => this.boxed(box),
      });
      shared.pictures = new Newest((request, wanted) => this.fetchPicture(request, wanted));
      this.openProbe();
      this.openFrames();
    },

    // All that says what is shown, and how.
    asked() {
      return { ...this.extra, subject: this.subject, frame: this.frame, ...this.looks, viewer: shared.name };
    },
    // While frames or passes are stepped through a quick picture comes first, the exact one when it rests.
    refresh() {
      this.nameAddress();
      if (!this.subject) {
        drawn = serial + 1; // what is under way belongs to another subject
        return this.clear();
      }
      this.atRest(this.askPicture({ encoding: "jpeg" }), REST, {});
      this.askProbe();
    },
    // While something is dragged, coarser pictures where others take too long to follow; the exact one where the pointer rests.
    askSliding(more = {}) {
      this.atRest(this.askSmall({ ...more, coarse: pace.coarse, paced: true }), PAUSE, more);
    },
    // The same for a press that wants an answer at once.
    askQuickly() {
      shared.quick = this.askSmall({});
      this.atRest(shared.quick, REST, {});
      return shared.quick;
    },
    // No larger than it stands on the screen.
    askSmall({ coarse = 1, ...more }) {
      const across = Math.min(page.width, Math.max(SMALLEST, page.width * this.zoom * (window.devicePixelRatio || 1)));
      return this.askPicture({ ...more, encoding: "jpeg", width: Math.ceil(across / coarse) });
    },
    // The exact picture, once a quick one is there and nothing else was asked for so many milliseconds.
    async atRest(quick, after, exact) {
      const asked = serial;
      await quick;
      if (asked === serial) restTimer = setTimeout(() => this.askPicture(exact), after);
    },
    // Resolves when its answer is there. An exact picture does not wait for a quick one, nor the other way round.
    askPicture({ edited = null, encoding = "png", width = WHOLE, paced = false }) {
      clearTimeout(restTimer);
      const over = encoding !== askedLast;
      askedLast = encoding;
      return shared.pictures.ask({ ...this.asked(), edited, encoding, width, serial: ++serial, paced }, { over });
    },
    // paced: counts for how coarse pictures have to be.
    async fetchPicture({ paced, ...request }, wanted) {
      const slow = setTimeout(() => (this.busy = true), SLOW);
      const begun = performance.now();
      const other = this.comparison ? this.otherPointed : null; // all that there is to choose from is told for it
      try {
        const main = await this.answer(this.comparison === "difference" ? { ...request, against: other, gain: this.gain } : request, wanted);
        const beside = this.showsOther ? await this.answer({ ...request, ...other, edited: null }, wanted) : null;
        if (paced) pace.took(performance.now() - begun);
        this.showPicture(request, main, beside); // not waited for: meanwhile the next is asked for
      } catch (error) {
        this.pictureFailed(request, error);
      } finally {
        clearTimeout(slow);
        this.busy = false;
      }
    },
    async showPicture(request, main, beside) {
      try {
        const [bitmap, other] = await Promise.all([createImageBitmap(main.blob), beside && createImageBitmap(beside.blob)]);
        if (request.serial < drawn) return;
        drawn = request.serial;
        if (main.ends) this.ends = main.ends;
        shared.bitmap = bitmap;
        shared.stage.size(...main.size);
        shared.stage.names = { main: this.title, other: this.otherTitle };
        shared.stage.put({ main: bitmap, other, passing: request.encoding === "jpeg" });
        this.fault = null;
        Object.assign(this.$refs.canvas.dataset, { serial: request.serial, encoding: request.encoding, across: bitmap.width });
        if (this.scoping) this.drawScopes();
        this.askValues();
      } catch (error) {
        this.pictureFailed(request, error);
      }
    },
    pictureFailed(request, error) {
      if (isSuperseded(error) || request.serial < drawn) return;
      drawn = request.serial;
      this.clear();
      this.fault = ofFault(error);
      // The server has too much to do: the picture is still wanted.
      if (error.code === "work.busy") restTimer = setTimeout(() => request.serial === serial && this.askPicture({}), BUSY_PAUSE);
    },
    // Nothing of another frame or subject stays on the screen under this one's name.
    clear() {
      shared.bitmap = null;
      shared.stage.put({ main: null, other: null });
      shared.stage.set({ numbers: null });
    },
    async bitmap(request) {
      return createImageBitmap((await this.answer(request)).blob);
    },
    async answer(request, signal) {
      const answer = await post(page.urls.picture, request, { signal });
      const ends = answer.headers.get("X-Range")?.split(" ").map(Number);
      this.smaller = answer.headers.get("X-Smaller") ?? "";
      return { ends, size: answer.headers.get("X-Size").split(" ").map(Number), blob: await answer.blob() };
    },

    get smallerText() { return this.smaller ? ` · shown smaller: ${this.smaller}` : ""; },
    fit() { shared.stage.fit(); },
    lookAt(x, y) { shared.stage.lookAt(x, y); },
    oneToOne() { shared.stage.zoomTo(1); },
    get zoomText() { return `${Math.round(this.zoom * 100)} %`; },
    nextSurround() { this.surround = SURROUNDS[(SURROUNDS.indexOf(this.surround) + 1) % SURROUNDS.length]; },
    toggleScopes() {
      this.scoping = !this.scoping;
      if (this.scoping) this.$nextTick(() => this.drawScopes());
    },
    // Of the picture, and below that of the one it is compared with.
    drawScopes() {
      const { main, other } = shared.stage.pictures;
      this.drawScopesOf(main, "histogram", "waveform", "vectors");
      if (this.showsOther) this.drawScopesOf(other, "otherHistogram", "otherWaveform", "otherVectors");
    },
    drawScopesOf(bitmap, histogram, waveform, vectors) {
      if (!bitmap) return;
      const pixels = pixelsOf(bitmap);
      drawHistogram(this.$refs[histogram], pixels);
      drawWaveform(this.$refs[waveform], pixels);
      drawVectors(this.$refs[vectors], pixels);
    },
    get faultWhat() { return this.fault?.what ?? String(this.fault ?? ""); },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
    get faultInFile() { return Boolean(this.fault?.file); },
  };
};
