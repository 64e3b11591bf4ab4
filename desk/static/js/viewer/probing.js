// The numbers behind the picture: under the pointer, averaged over a box, and drawn into single pixels.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { number } from "../numbers.js";
import { reactive } from "../reactive.js";
import { NUMBERS_FROM } from "./stage-drawing.js";

/** @typedef {ReturnType<typeof createProbe>} Probe */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./stage.js").Stage} uses.stage
 * @param {import("./pictures.js").Picture} uses.picture
 * @param {import("./comparing.js").Comparing} uses.comparing
 * @param {() => string} uses.key the line that is shown below the picture
 * @param {() => boolean} uses.isAsked whether there is something to read
 */
export const createProbe = (page, { stage, picture, comparing, key, isAsked }) => {
  const probes = new Newest((request) => probe.fetch(request));
  const values = new Newest((request) => probe.fetchValues(request));
  let probeTimer = 0;
  let valuesTimer = 0;

  const probe = reactive({
    reading: false,
    pointer: null,
    box: null,
    lines: [],
    linesAt: "", // frame and pixel that they are of

    point(at) {
      this.pointer = at;
      if (!at || this.box) return;
      clearTimeout(probeTimer);
      probeTimer = setTimeout(() => this.ask(), 15);
    },
    boxed(box) {
      this.box = box && (box.x !== box.x1 || box.y !== box.y1) ? box : null;
      if (!this.box) stage.set({ box: null });
      this.ask();
    },
    // What a press waits for has the server to itself.
    async ask() {
      await picture.quick;
      const at = this.box ?? this.pointer;
      if (at && isAsked()) probes.ask({ ...picture.asked(), x: at.x, y: at.y, x1: at.x1 ?? at.x, y1: at.y1 ?? at.y });
    },
    async fetch(request) {
      try {
        this.lines = (await (await post(page.urls.probe, request)).json()).lines;
        this.linesAt = placeOf(request.frame, request);
      } catch {
        this.linesAt = "";
        this.lines = []; // the picture says why
      }
    },
    toggleReadings() { this.reading = !this.reading; },
    get line() { return this.lines.find((line) => line.key === key()); },
    // The running results of a ledger are many: they are read one at a time, on the line below the picture.
    get readings() { return this.lines.filter((line) => !line.key.startsWith("sum/")); },
    get place() {
      if (this.box)
        return `mean ${this.box.x1 - this.box.x + 1}x${this.box.y1 - this.box.y + 1} at ${this.box.x}, ${this.box.y}`;
      return this.pointer
        ? `x ${String(this.pointer.x).padStart(4)}  y ${String(this.pointer.y).padStart(4)}`
        : "point at the picture";
    },
    get stored() { return this.line ? storedText(this.line) : ""; },
    get codes() {
      const codes = this.line?.codes;
      return codes ? `8 bit ${codes[8].join(" ")}   10 bit ${codes[10].join(" ")}   16 bit ${codes[16].join(" ")}` : "";
    },
    get swatch() {
      const codes = this.line?.codes;
      return { backgroundColor: codes ? `rgb(${codes[8].join(",")})` : "transparent" };
    },
    storedOf(line) { return storedText(line); },
    codesOf(line) { return line.codes ? line.codes[8].join(" ") : "data"; },
    lineClass(line) { return { here: line.key === key(), sum: line.key === "rebuilt" }; },

    // ---- Numbers in single pixels ----
    zoomed() {
      clearTimeout(valuesTimer);
      valuesTimer = setTimeout(() => this.askValues(), 120);
    },
    askValues() {
      if (stage.zoom < NUMBERS_FROM || !picture.isThere || comparing.mode === "difference") {
        if (stage.numbers) stage.set({ numbers: null });
        return;
      }
      values.ask({ ...picture.asked(), ...stage.visible });
    },
    async fetchValues(request) {
      try {
        stage.set({ numbers: await (await post(page.urls.values, request)).json() });
      } catch {
        stage.set({ numbers: null });
      }
    },
  });
  return probe;
};

function storedText(line) {
  const channels = line.stored.map((value, place) => `${line.names[place] ?? ""} ${number(value)}`);
  return [...channels, ...(line.alpha === null ? [] : [`A ${number(line.alpha)}`])].join("  ");
}

// As text, of a pixel or a box.
export const placeOf = (frame, { x, y, x1, y1 }) => [frame, x, y, x1, y1].join(" ");
