// The numbers behind the picture: under the pointer, averaged over a box, and drawn into single pixels.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { number } from "../numbers.js";
import { NUMBERS_FROM } from "./stage-drawing.js";

export const probing = (shared) => {
  const { page } = shared;
  let probeTimer = 0;
  let valuesTimer = 0;

  return {
    reading: false,
    pointer: null,
    box: null,
    lines: [],
    linesAt: "", // frame and pixel that they are of

    openProbe() {
      shared.probes = new Newest((request) => this.fetchProbe(request));
      shared.numbers = new Newest((request) => this.fetchValues(request));
    },
    point(at) {
      this.pointer = at;
      if (!at || this.box) return;
      clearTimeout(probeTimer);
      probeTimer = setTimeout(() => this.askProbe(), 15);
    },
    boxed(box) {
      this.box = box && (box.x !== box.x1 || box.y !== box.y1) ? box : null;
      if (!this.box) shared.stage.set({ box: null });
      this.askProbe();
    },
    // What a press waits for has the server to itself.
    async askProbe() {
      await shared.quick;
      const at = this.box ?? this.pointer;
      if (at && this.subject && !this.playing) shared.probes.ask({ ...this.asked(), x: at.x, y: at.y, x1: at.x1 ?? at.x, y1: at.y1 ?? at.y });
    },
    async fetchProbe(request) {
      try {
        this.lines = (await (await post(page.urls.probe, request)).json()).lines;
        this.linesAt = placeOf(request.frame, request);
      } catch {
        this.linesAt = "";
        this.lines = []; // the picture says why
      }
    },
    toggleReadings() { this.reading = !this.reading; },
    get probeLine() { return this.lines.find((line) => line.key === this.probeKey); },
    // The running results of a ledger are many: they are read one at a time, on the line below the picture.
    get readings() { return this.lines.filter((line) => !line.key.startsWith("sum/")); },
    get probePlace() {
      if (this.box) return `mean ${this.box.x1 - this.box.x + 1}x${this.box.y1 - this.box.y + 1} at ${this.box.x}, ${this.box.y}`;
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
    lineClass(line) { return { here: line.key === this.probeKey, sum: line.key === "rebuilt" }; },

    // ---- Numbers in single pixels ----
    zoomed(zoom) {
      this.zoom = zoom;
      clearTimeout(valuesTimer);
      valuesTimer = setTimeout(() => this.askValues(), 120);
    },
    askValues() {
      const { stage } = shared;
      if (!stage || stage.zoom < NUMBERS_FROM || !shared.bitmap || this.comparison === "difference") {
        if (stage?.numbers) stage.set({ numbers: null });
        return;
      }
      shared.numbers.ask({ ...this.asked(), ...stage.visible });
    },
    async fetchValues(request) {
      try {
        shared.stage.set({ numbers: await (await post(page.urls.values, request)).json() });
      } catch {
        shared.stage.set({ numbers: null });
      }
    },
  };
};

function storedText(line) {
  const channels = line.stored.map((value, place) => `${line.names[place] ?? ""} ${number(value)}`);
  return [...channels, ...(line.alpha === null ? [] : [`A ${number(line.alpha)}`])].join("  ");
}

// As text, of a pixel or a box.
export const placeOf = (frame, { x, y, x1, y1 }) => [frame, x, y, x1, y1].join(" ");
