// The picture on the stage: asked for, drawn, and taken away again when it cannot be shown.
import { isSuperseded, ofFault, post } from "../api.js";
import { Newest } from "../newest.js";
import { reactive } from "../reactive.js";
import { Pace } from "./pace.js";

const SURROUNDS = ["mid", "dark", "light"];
const REST = 300; // milliseconds without a further step
const PAUSE = 150; // milliseconds that a drag stands still
const SLOW = 200; // milliseconds after which the page says that it reads
const WHOLE = 1 << 16; // pixels across: as many as there are
const BUSY_PAUSE = 3000; // milliseconds after which a picture that was refused for load is asked for again
const SMALLEST = 320; // pixels across, of pictures while something is dragged

/** @typedef {ReturnType<typeof createPicture>} Picture */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./stage.js").Stage} uses.stage
 * @param {import("./notices.js").Notices} uses.notices
 * @param {import("./frames.js").Frames} uses.frames
 * @param {import("./looking.js").Looks} uses.looks
 * @param {import("./comparing.js").Comparing} uses.comparing
 * @param {() => any} uses.subject what is shown, as the server knows it; null if nothing
 * @param {() => object} uses.extra more to send along
 * @param {() => string} uses.title
 * @param {() => void} uses.onRefresh something else is shown than before
 * @param {() => void} uses.onShown its picture stands on the stage
 */
export const createPicture = (
  page,
  { stage, notices, frames, looks, comparing, subject, extra, title, onRefresh, onShown },
) => {
  const name = crypto.randomUUID(); // of this viewer: the server drops what it asked for before
  const pictures = new Newest((request, wanted) => picture.fetch(request, wanted));
  const pace = new Pace();
  let serial = 0;
  let drawn = 0; // serial of what is on the screen
  let askedLast = "";
  let restTimer = 0;
  let quick = null;
  let bitmap = null;

  const picture = reactive({
    surround: "mid",
    zoom: 1,
    busy: false,
    smaller: "", // why the picture is smaller than it was asked for

    get title() {
      return title();
    },
    get isThere() {
      return bitmap !== null;
    },
    get quick() {
      return quick;
    }, // what a press waits for, if anything
    // All that says what is shown, and how.
    asked() {
      return { ...extra(), subject: subject(), frame: frames.current, ...looks.asked, viewer: name };
    },
    // While frames or passes are stepped through a quick picture comes first, the exact one when it rests.
    refresh() {
      onRefresh();
      if (!subject()) {
        drawn = serial + 1; // what is under way belongs to another subject
        return this.clear();
      }
      this.atRest(this.ask({ encoding: "jpeg" }), REST, {});
    },
    // While something is dragged, coarser pictures where others take too long to follow; the exact one where the
    // pointer rests.
    askSliding(more = {}) {
      this.atRest(this.askSmall({ ...more, coarse: pace.coarse, paced: true }), PAUSE, more);
    },
    // The same for a press that wants an answer at once.
    askQuickly() {
      quick = this.askSmall({});
      this.atRest(quick, REST, {});
      return quick;
    },
    // No larger than it stands on the screen.
    askSmall({ coarse = 1, ...more }) {
      const across = Math.min(page.width, Math.max(SMALLEST, page.width * this.zoom * (window.devicePixelRatio || 1)));
      return this.ask({ ...more, encoding: "jpeg", width: Math.ceil(across / coarse) });
    },
    // The exact picture, once a quick one is there and nothing else was asked for so many milliseconds.
    async atRest(first, after, exact) {
      const asked = serial;
      await first;
      if (asked === serial) restTimer = setTimeout(() => this.ask(exact), after);
    },
    // Resolves when its answer is there. An exact picture does not wait for a quick one, nor the other way round.
    ask({ edited = null, encoding = "png", width = WHOLE, paced = false }) {
      clearTimeout(restTimer);
      const over = encoding !== askedLast;
      askedLast = encoding;
      return pictures.ask({ ...this.asked(), edited, encoding, width, serial: ++serial, paced }, { over });
    },
    // paced: counts for how coarse pictures have to be.
    async fetch({ paced, ...request }, wanted) {
      const slow = setTimeout(() => (this.busy = true), SLOW);
      const begun = performance.now();
      const other = comparing.mode ? comparing.pointed : null; // all that there is to choose from is told for it
      try {
        const main = await this.answer(
          comparing.mode === "difference" ? { ...request, against: other, gain: comparing.gain } : request,
          wanted,
        );
        const beside = comparing.showsOther ? await this.answer({ ...request, ...other, edited: null }, wanted) : null;
        if (paced) pace.took(performance.now() - begun);
        this.show(request, main, beside); // not waited for: meanwhile the next is asked for
      } catch (error) {
        this.failed(request, error);
      } finally {
        clearTimeout(slow);
        this.busy = false;
      }
    },
    async show(request, main, beside) {
      try {
        const [own, other] = await Promise.all([
          createImageBitmap(main.blob),
          beside && createImageBitmap(beside.blob),
        ]);
        if (request.serial < drawn) return;
        drawn = request.serial;
        if (main.ends) looks.ends = main.ends;
        bitmap = own;
        stage.size(...main.size);
        stage.names = { main: this.title, other: comparing.title };
        stage.put({ main: own, other, passing: request.encoding === "jpeg" });
        notices.fault = null;
        Object.assign(stage.canvas.dataset, { serial: request.serial, encoding: request.encoding, across: own.width });
        onShown();
      } catch (error) {
        this.failed(request, error);
      }
    },
    failed(request, error) {
      if (isSuperseded(error) || request.serial < drawn) return;
      drawn = request.serial;
      this.clear();
      notices.fault = ofFault(error);
      // The server has too much to do: the picture is still wanted.
      if (error.code === "work.busy")
        restTimer = setTimeout(() => request.serial === serial && this.ask({}), BUSY_PAUSE);
    },
    // One of many in a row.
    put(passing) {
      bitmap = passing;
      stage.put({ main: bitmap, passing: true });
    },
    // Nothing of another frame or subject stays on the screen under this one's name.
    clear() {
      bitmap = null;
      stage.put({ main: null, other: null });
      stage.set({ numbers: null });
    },
    async bitmapOf(request) {
      return createImageBitmap((await this.answer(request)).blob);
    },
    async answer(request, signal) {
      const answer = await post(page.urls.picture, request, { signal });
      const ends = answer.headers.get("X-Range")?.split(" ").map(Number);
      this.smaller = answer.headers.get("X-Smaller") ?? "";
      return { ends, size: answer.headers.get("X-Size").split(" ").map(Number), blob: await answer.blob() };
    },

    get smallerText() {
      return this.smaller ? ` · shown smaller: ${this.smaller}` : "";
    },
    fit() {
      stage.fit();
    },
    lookAt(x, y) {
      stage.lookAt(x, y);
    },
    oneToOne() {
      stage.zoomTo(1);
    },
    togglePixels() {
      stage.otherwise = !stage.otherwise;
      stage.draw();
    },
    get zoomText() {
      return `${Math.round(this.zoom * 100)} %`;
    },
    nextSurround() {
      this.surround = SURROUNDS[(SURROUNDS.indexOf(this.surround) + 1) % SURROUNDS.length];
    },
  });
  return picture;
};
