// The Rebuild station: the ledger left, the picture right. Numbers change here; all pixels are computed by the server.
import "./num-field.js";
import { get, pageData, post } from "./api.js";
import { Kept } from "./kept.js";
import * as change from "./ledger.js";
import { Newest } from "./newest.js";
import { AHEAD, MOST_KEPT, PLAY_WIDTH, Reel } from "./reel.js";
import { Ribbon } from "./ribbon.js";
import { drawHistogram, drawWaveform, pixelsOf } from "./scopes.js";
import { Stage } from "./stage.js";

const SURROUNDS = ["mid", "dark", "light"];

export default () => {
  // Kept out of Alpine's reach: its proxies would wrap bitmaps and canvases.
  const page = pageData();
  const viewer = crypto.randomUUID();
  let kept = null;
  let stage = null;
  let ribbon = null;
  let reel = null;
  let playable = null; // what is asked of every frame while it plays
  let serial = 0;
  let probeTimer = 0;
  let mainBitmap = null;

  return {
    ledger: page.ledger,
    version: page.version,
    versions: page.versions,
    element: page.element,
    elements: page.elements,
    mayChange: page.mayChange,
    sources: page.sources,
    starts: page.starts,
    operators: page.operators,
    views: page.views,
    frames: page.frames,
    frame: page.frame,
    first: page.first,
    last: page.last,
    canUndo: false,
    canRedo: false,
    opened: page.row,
    shown: { show: "rebuilt", key: "" },
    stops: 0,
    gamma: 1,
    viewName: page.views.at(-1).key,
    channel: "rgb",
    ground: "black",
    surround: "mid",
    zoom: 1,
    wiping: false,
    scoping: false,
    reading: false,
    playing: false,
    pointer: null,
    probed: null,
    contributions: { rows: [], strip: "", width: 0, height: 0 },
    balance: null,
    comparing: true,
    unanswered: false, // the last comparison failed; the fault says why
    fault: null,
    dragged: "",
    before: "",

    init() {
      stage = new Stage(this.$refs.canvas, {
        width: page.width,
        height: page.height,
        aspect: page.aspect,
        onPointer: (at) => this.point(at),
        onZoom: (zoom) => (this.zoom = zoom),
      });
      ribbon = new Ribbon(this.$refs.ribbon, { onChoose: (frame) => this.goTo(frame) });
      reel = new Reel({
        most: MOST_KEPT,
        fetch: (frame) => this.bitmap({ ...playable, frame }),
        onKept: () => this.showRibbon(),
      });
      this.showRibbon();
      this.pictures = new Newest((request) => this.fetchPicture(request));
      this.contributing = new Newest(() => this.fetchContributions());
      this.probes = new Newest((at) => this.fetchProbe(at));
      kept = new Kept({
        document: page.ledger,
        revision: page.revision,
        url: page.urls.save,
        field: "ledger",
        extra: { ledgerId: page.ledgerId },
        say: (state) => this.say(state),
        onFault: (error) => (this.fault = error),
      });
      this.say(page.mayChange ? "saved" : "read-only");
      this.refresh();
    },

    // ---- Ledger as shown ----
    get rows() { return this.ledger.rows; },
    get startText() { return this.ledger.alpha ? `start: black, alpha of ${this.titleOf({ source: this.ledger.alpha })}` : "start: black, transparent"; },
    sourceOf(row) { return this.sources.find((source) => source.key === row.source); },
    titleOf(row) { return this.sourceOf(row)?.title ?? row.source; },
    // A ledger onto the denoised beauty says so at its start; only what differs from that is told in its rows.
    rowTitle(row) {
      const source = this.sourceOf(row);
      const beauty = this.sourceOf({ source: this.ledger.beauty });
      return source?.denoised && beauty?.denoised ? source.passTitle : this.titleOf(row);
    },
    sourceHint(row) { return this.sourceOf(row)?.meaning ?? "This source is not in the files of this frame."; },
    shareOf(row) { return this.contributions.rows.find((entry) => entry.id === row.id)?.share ?? 0; },
    shareText(row) { return Math.abs(this.shareOf(row)) < 10 ? `${(this.shareOf(row) * 100).toFixed(0)}%` : ">999%"; },
    shareStyle(row) { return { width: `${Math.min(100, Math.abs(this.shareOf(row)) * 100)}%` }; },
    shareClass(row) { return this.shareOf(row) < 0 ? "less" : ""; },
    shareHint(row) { return `${this.titleOf(row)} makes ${(this.shareOf(row) * 100).toFixed(2)} % of the picture's light`; },
    thumbnail(row) {
      const at = this.contributions.rows.findIndex((entry) => entry.id === row.id);
      if (at < 0) return {};
      const high = `${this.contributions.rows.length * 100}%`;
      const place = this.contributions.rows.length > 1 ? `${(at / (this.contributions.rows.length - 1)) * 100}%` : "0";
      return { backgroundImage: `url(${this.contributions.strip})`, backgroundSize: `100% ${high}`, backgroundPosition: `0 ${place}` };
    },
    rowClass(row) { return { open: this.isOpen(row), off: !row.on, before: this.before === row.id }; },
    operatorText(operator) { return operator.sign === operator.key ? operator.key : `${operator.sign}`; },
    tintColour(row) {
      const peak = Math.max(1, ...row.tint);
      return "#" + row.tint.map((value) => Math.round((value / peak) * 255).toString(16).padStart(2, "0")).join("");
    },
    gripLabel(row) { return `Move ${this.titleOf(row)}: Alt with up or down`; },
    onLabel(row) { return `${this.titleOf(row)} on`; },
    runningLabel(row) { return `Show the sum down to ${this.titleOf(row)}`; },
    operatorLabel(row) { return `Operator of ${this.titleOf(row)}`; },
    amountLabel(row) { return `Amount of ${this.titleOf(row)}`; },
    foldLabel(row) { return `Trims of ${this.titleOf(row)}`; },
    foldIcon(row) { return this.isOpen(row) ? "bi-chevron-up" : "bi-chevron-down"; },
    isOpen(row) { return this.opened === row.id; },
    fold(row) {
      this.opened = this.isOpen(row) ? "" : row.id;
      this.nameAddress();
    },

    // ---- Changes ----
    set(row, field, value) { this.commit(change.withRow(kept.current, row.id, { [field]: value }), row.id); },
    slide(row, field, value) { this.preview(change.withRow(kept.current, row.id, { [field]: value }), row.id); },
    tinted(row, channel, value) { return row.tint.map((old, index) => (index === channel ? value : old)); },
    setTint(row, channel, value) { this.set(row, "tint", this.tinted(row, channel, value)); },
    slideTint(row, channel, value) { this.slide(row, "tint", this.tinted(row, channel, value)); },
    coloured(hex) { return [1, 3, 5].map((at) => Number((parseInt(hex.slice(at, at + 2), 16) / 255).toFixed(4))); },
    setColour(row, hex) { this.set(row, "tint", this.coloured(hex)); },
    slideColour(row, hex) { this.slide(row, "tint", this.coloured(hex)); },
    resetRow(row) { this.commit(change.withReset(kept.current, row.id), row.id); },
    duplicate(row) { this.commit(change.withCopy(kept.current, row.id)); },
    remove(row) { this.commit(change.without(kept.current, row.id)); },
    addRow(event) {
      const source = this.sources.find((source) => source.key === event.target.value);
      event.target.value = "";
      if (source) this.commit(change.withNew(kept.current, source));
    },
    async startAgain(event) {
      const start = page.starts[event.target.value];
      event.target.value = "";
      if (!start) return;
      await this.guarded(async () => {
        const answer = await post(page.urls.first, { ledgerId: page.ledgerId, frame: this.frame, ...start });
        this.commit((await answer.json()).ledger);
      });
    },
    canFollow(suggestion) { return suggestion.action !== "note"; },
    follow(suggestion) {
      if (suggestion.action === "insert") {
        const source = this.sources.find((source) => source.key === suggestion.key);
        this.commit(change.withNew(kept.current, source));
      } else if (suggestion.action === "remove") {
        this.commit(change.without(kept.current, suggestion.key));
      } else {
        this.commit(change.withRow(kept.current, suggestion.key, { operator: suggestion.action }));
      }
    },
    undo() {
      kept.undo();
      this.adopt();
    },
    redo() {
      kept.redo();
      this.adopt();
    },

    preview(ledger, edited) {
      this.ledger = ledger;
      this.askPicture({ edited, encoding: "jpeg" });
    },
    commit(ledger) {
      kept.change(ledger);
      this.adopt();
    },
    adopt() {
      this.ledger = kept.current;
      this.canUndo = kept.canUndo;
      this.canRedo = kept.canRedo;
      this.comparing = true;
      this.refresh();
    },
    async keepVersion() {
      await this.guarded(async () => {
        await kept.now();
        const version = await (await post(page.urls.version, { ledgerId: page.ledgerId })).json();
        this.version = version.label;
        if (!this.versions.some((known) => known.number === version.number)) this.versions.unshift(version);
        this.say("kept");
      });
    },
    versionText(version) { return `${version.label} · ${version.made.slice(0, 16).replace("T", " ")}`; },
    async loadVersion(event) {
      const number = event.target.value;
      event.target.value = "";
      if (!number) return;
      await this.guarded(async () => {
        const answer = await get(`${page.urls.version}${page.ledgerId}/${number}/`);
        this.commit((await answer.json()).ledger);
      });
    },
    async chooseElement(event) {
      await this.guarded(async () => {
        await post(page.urls.element, { ledgerId: page.ledgerId, element: Number(event.target.value) });
        window.location.reload();
      });
      if (this.fault) event.target.value = String(this.element);
    },
    say(state) {
      const text = `ledger “${this.ledger.name}” ${this.version} · ${state}`;
      window.dispatchEvent(new CustomEvent("eager:keeping", { detail: text }));
    },

    // ---- Reordering ----
    dragStart(row, event) {
      this.dragged = row.id;
      event.dataTransfer.effectAllowed = "move";
      event.dataTransfer.setData("text/plain", row.id);
    },
    dragOver(row) { this.before = this.dragged ? row.id : ""; },
    drop(row) {
      if (this.dragged) this.commit(change.moved(kept.current, this.dragged, this.place(row)));
      this.dragEnd();
    },
    dragEnd() { this.dragged = this.before = ""; },
    place(row) { return this.rows.findIndex((other) => other.id === row.id); },
    gripKey(row, event) {
      const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (!by || !event.altKey || !this.mayChange) return;
      event.preventDefault();
      const next = change.moved(kept.current, row.id, this.place(row) + by);
      if (next !== kept.current) this.commit(next);
      this.$nextTick(() => this.$root.querySelector(`[data-row="${CSS.escape(row.id)}"] .grip`).focus());
    },

    // ---- Picture ----
    show(show, key = "") {
      this.shown = { show, key };
      this.askPicture({});
    },
    showRow(row) { this.show("row", row.id); },
    showSource(row) { this.show("source", row.source); },
    showDifference() {
      this.show("difference");
      if (this.balance) stage.lookAt(this.balance.x, this.balance.y);
    },
    isShown(show, key) { return this.shown.show === show && this.shown.key === key; },
    get shownText() {
      const { show, key } = this.shown;
      if (show === "row") return `sum down to ${this.titleOf(this.rows.find((row) => row.id === key) ?? { source: key })}`;
      if (show === "source") return `source: ${this.titleOf({ source: key })}`;
      return { rebuilt: "rebuilt", rendered: "rendered", difference: "difference, untrimmed" }[show];
    },
    look(setting, value, sliding) {
      this[{ view: "viewName" }[setting] ?? setting] = value;
      this.askPicture(sliding ? { encoding: "jpeg" } : {});
      if (setting === "view") this.contributing.ask({});
    },
    refresh() {
      this.askPicture({});
      this.contributing.ask({});
    },
    asked(more) {
      return { ledgerId: page.ledgerId, ledger: this.ledger, frame: this.frame, view: this.viewName, ...more };
    },
    askPicture({ edited = null, encoding = "png", width = page.width }) {
      const look = { stops: this.stops, gamma: this.gamma, channel: this.channel, ground: this.ground };
      this.pictures.ask(this.asked({ ...this.shown, ...look, edited, encoding, width, viewer, serial: ++serial }));
    },
    async fetchPicture(request) {
      await this.guarded(async () => {
        try {
          mainBitmap = await this.bitmap(request);
        } catch (error) {
          // Nothing of another frame stays on the screen under this one's name.
          if (error.code !== "work.superseded") stage.put("main", (mainBitmap = null));
          throw error;
        }
        stage.put("main", mainBitmap);
        this.$refs.canvas.dataset.serial = request.serial;
        if (this.wiping) stage.put("other", await this.bitmap({ ...request, show: "rendered", key: "" }));
        if (this.scoping) this.drawScopes();
        this.fault = null;
      });
    },
    async bitmap(request) {
      const answer = await post(page.urls.picture, request);
      return createImageBitmap(await answer.blob());
    },
    toggleWipe() {
      this.wiping = !this.wiping;
      stage.setWipe(this.wiping ? 0.5 : null);
      if (this.wiping) this.askPicture({});
    },
    fit() { stage.fit(); },
    oneToOne() { stage.zoomTo(1); },
    get zoomText() { return `${Math.round(this.zoom * 100)} %`; },
    nextSurround() { this.surround = SURROUNDS[(SURROUNDS.indexOf(this.surround) + 1) % SURROUNDS.length]; },
    // What was changed a moment ago is saved before the page is left for Hand-off, which writes what is saved.
    async handOff(event) {
      if (!kept.unsaved) return;
      event.preventDefault();
      await kept.now();
      if (!kept.unsaved) window.location.assign(this.handoffUrl);
    },
    get lookUrl() { return `${page.urls.look}?element=${this.element}&frame=${this.frame}`; },
    get handoffUrl() { return `${page.urls.handoff}?frame=${this.frame}`; },
    toggleScopes() {
      this.scoping = !this.scoping;
      if (this.scoping) this.$nextTick(() => this.drawScopes());
    },
    drawScopes() {
      if (!mainBitmap) return;
      const pixels = pixelsOf(mainBitmap);
      drawHistogram(this.$refs.histogram, pixels);
      drawWaveform(this.$refs.waveform, pixels);
    },

    // ---- Account and balance ----
    async fetchContributions() {
      this.unanswered = true;
      await this.guarded(async () => {
        const ledger = kept.current;
        const { frame } = this;
        this.contributions = await (await post(page.urls.contributions, this.asked({}))).json();
        this.balance = await (await post(page.urls.balance, this.asked({}))).json();
        // A verdict is that of its ledger and frame; after a change the next is under way.
        this.comparing = ledger !== kept.current || frame !== this.frame;
        this.unanswered = false;
      });
    },
    get rebuiltMean() { return this.balance ? number(this.balance.rebuilt_mean) : "…"; },
    get renderedMean() { return this.balance ? number(this.balance.rendered_mean) : "…"; },
    get differenceText() {
      const { difference, x, y } = this.balance ?? {};
      return difference ? `${power(difference.largest)} at ${x}, ${y}` : "…";
    },
    get differenceMean() { return this.balance ? power(this.balance.difference.mean) : "…"; },
    get verdict() {
      if (this.unanswered && this.fault) return "not compared";
      if (!this.balance || this.comparing) return "comparing…";
      if (this.balance.balanced) return `balanced within ${this.balance.rounding} rounding`;
      return `not balanced: ${this.balance.beyond} pixels differ by more than ${this.balance.rounding} rounding`;
    },
    get verdictClass() { return this.balance && !this.comparing && !this.balance.balanced ? "off" : ""; },
    get verdictIcon() {
      if (this.unanswered && this.fault) return "bi-exclamation-diamond-fill";
      if (!this.balance || this.comparing) return "bi-hourglass-split";
      return this.balance.balanced ? "bi-check-lg" : "bi-exclamation-diamond-fill";
    },
    get suggestions() { return this.balance?.suggestions ?? []; },

    // ---- Probe ----
    point(at) {
      this.pointer = at;
      if (!at) return;
      clearTimeout(probeTimer);
      probeTimer = setTimeout(() => this.probes.ask(at), 15);
    },
    async fetchProbe(at) {
      await this.guarded(async () => {
        this.probed = { ...(await (await post(page.urls.probe, this.asked(at))).json()), ...at };
      });
    },
    toggleReadings() { this.reading = !this.reading; },
    get probeLine() {
      if (!this.probed) return null;
      const { show, key } = this.shown;
      if (show === "rendered") return this.probed.rendered;
      if (show === "row") return this.probed.running.find((line) => line.key === key);
      if (show === "source") return this.probed.rows[this.rows.findIndex((row) => row.source === key)];
      return this.probed.rebuilt;
    },
    get probePlace() { return this.pointer ? `x ${String(this.pointer.x).padStart(4)}  y ${String(this.pointer.y).padStart(4)}` : "point at the picture"; },
    get probeStored() { return this.probeLine ? this.probeLine.stored.map(number).join("  ") + (this.probeLine.alpha === null ? "" : `   A ${number(this.probeLine.alpha)}`) : ""; },
    get probeDisplay() { return this.probeLine?.display ? this.probeLine.display.map((code) => String(code).padStart(3)).join(" ") : ""; },
    get probeSwatch() { return { backgroundColor: this.probeLine?.display ? `rgb(${this.probeLine.display.join(",")})` : "transparent" }; },
    get readings() {
      if (!this.reading || !this.probed) return null;
      const lines = this.probed.rows.map((line) => reading(line, ""));
      lines.push(reading({ ...this.probed.rebuilt, title: "rebuilt" }, "sum"));
      if (this.probed.rendered) lines.push(reading({ ...this.probed.rendered, key: "rendered", title: "rendered" }, ""));
      return lines;
    },
    lineClass(line) { return line.look; },

    // ---- Frames ----
    showRibbon() {
      ribbon.show({ frames: this.frames, first: this.first, last: this.last, current: this.frame, kept: reel.frames });
    },
    get rateText() { return `${page.rate} fps`; },
    get playIcon() { return this.playing ? "bi-stop-fill" : "bi-play-fill"; },
    goTo(frame) {
      this.frame = frame;
      this.comparing = true;
      this.showRibbon();
      this.nameAddress();
      this.refresh();
    },
    stepFrame(by) {
      const at = this.frames.indexOf(this.frame) + by;
      if (at >= 0 && at < this.frames.length) this.goTo(this.frames[at]);
    },
    async togglePlay() {
      this.playing = !this.playing && this.frames.length > 1;
      const look = { stops: this.stops, gamma: this.gamma, channel: this.channel, ground: this.ground, ...this.shown };
      const named = JSON.stringify([this.ledger, this.viewName, look]);
      const { frame: _, ...asked } = this.asked({ ...look, encoding: "jpeg", width: PLAY_WIDTH, viewer: "", serial: 0 });
      playable = asked;
      while (this.playing) {
        const begun = performance.now();
        const at = this.frames.indexOf(this.frame);
        const ahead = Array.from({ length: AHEAD + 1 }, (_, step) => this.frames[(at + 1 + step) % this.frames.length]);
        this.frame = ahead[0];
        await this.guarded(async () => {
          mainBitmap = await createImageBitmap(await reel.picture(ahead[0], named, ahead.slice(1)));
          stage.put("main", mainBitmap);
          this.fault = null;
        });
        this.showRibbon();
        if (this.fault) this.playing = false;
        await new Promise((resolve) => setTimeout(resolve, Math.max(0, 1000 / page.rate - (performance.now() - begun))));
      }
      this.goTo(this.frame);
    },
    nameAddress() {
      const query = new URLSearchParams({ frame: this.frame, ...(this.opened ? { row: this.opened } : {}) });
      window.history.replaceState(null, "", `?${query}`);
    },

    // ---- Keys ----
    key(event) {
      if (document.querySelector("dialog[open]")) return;
      const typing = event.target.closest("input:not([type=checkbox]), select, textarea");
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
        event.preventDefault();
        if (event.shiftKey) this.redo();
        else this.undo();
        return;
      }
      if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
      const onButton = event.target.closest("button, a, input");
      const action = {
        1: () => this.show("rebuilt"),
        2: () => this.show("rendered"),
        3: () => this.show("difference"),
        w: () => this.toggleWipe(),
        p: () => this.toggleReadings(),
        s: () => this.toggleScopes(),
        f: () => this.fit(),
        Home: () => this.oneToOne(),
        ",": () => this.stepFrame(-1),
        ".": () => this.stepFrame(1),
        " ": onButton ? null : () => this.togglePlay(),
      }[event.key];
      if (!action) return;
      event.preventDefault();
      action();
    },

    // ---- Faults ----
    async guarded(work) {
      try {
        await work();
      } catch (error) {
        if (error.code !== "work.superseded") this.fault = error;
      }
    },
    get faultWhat() { return this.fault?.what ?? String(this.fault ?? ""); },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultInFile() { return Boolean(this.fault?.file); },
    get faultAdvice() { return this.fault?.advice ?? ""; },
  };
};

// Five decimals line up below each other; very small and very large numbers keep their digits as powers.
function number(value) {
  if (typeof value === "string") return value; // NaN and infinities arrive as words
  const size = Math.abs(value);
  return size !== 0 && (size < 1e-3 || size >= 1e4) ? value.toExponential(3) : value.toFixed(5);
}

const power = (value) => (value === 0 ? "0" : typeof value === "string" ? value : value.toExponential(2));

function reading(line, look) {
  const [r, g = r, b = r] = line.stored.map(number);
  const a = line.alpha === null ? "" : number(line.alpha);
  return { key: line.key, title: line.title, r, g, b, a, display: line.display ? line.display.join(" ") : "data", look };
}
