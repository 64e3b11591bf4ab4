// A movie with its notes: played, or stepped frame by frame as it was made; a place is clicked or drawn on, and said
// about.
import { get, pageData, post, wordsOf } from "../api.js";
import { stroke } from "./strokes.js";

const LOOK_EVERY = 1500; // milliseconds, while a worker makes the PDF

export default () => {
  const page = pageData();
  return {
    list: page.listed, // notes of one page, and how many there are
    onFrame: [], // notes that are drawn on the frame, where the list is not all of them
    versions: page.versions,
    mayChange: page.mayChange,
    movie: page.movie,
    seen: page.seen,
    frame: page.frames.includes(Number(page.frame)) ? Number(page.frame) : page.frames[0],
    playing: false,
    frameStyle: {},
    drawing: false,
    place: null, // where the note is, as shares of the picture
    strokes: [],
    text: "",
    open: 0, // id of the note that is shown
    answers: "",
    removed: null, // the last note taken away
    version: page.versions[0]?.number ?? 0,
    comparing: false,
    fault: "",

    init() {
      this.$watch("frame", () => this.$nextTick(() => this.guarded(() => this.drawn())));
      this.$nextTick(() => this.guarded(() => this.drawn()));
    },

    // ---- Frames ----
    get at() { return page.frames.indexOf(this.frame); },
    get frameUrl() { return page.urls.frame.replace(/0\/$/, `${this.frame}/`); },
    get framesText() { return `${this.frame}, ${this.at + 1} of ${page.frames.length}`; },
    get lastPlace() { return page.frames.length - 1; },
    go(place) {
      this.frame = page.frames[Math.min(this.lastPlace, Math.max(0, place))];
      this.open = 0;
      this.comparing = false;
    },
    step(by) {
      this.pause();
      this.go(this.at + by);
    },
    slide(event) {
      this.pause();
      this.go(Number(event.target.value));
    },
    play() {
      const video = this.$refs.movie;
      this.playing = true;
      this.open = 0;
      video.currentTime = this.at >= this.lastPlace ? 0 : (this.at + 0.5) / page.rate;
      video.play();
    },
    pause() {
      if (!this.playing) return;
      this.$refs.movie.pause();
      this.stopped();
    },
    stopped() {
      this.playing = false;
      this.follow();
    },
    toggle() { if (this.playing) this.pause(); else if (this.movie) this.play(); },
    follow() {
      const place = Math.floor(this.$refs.movie.currentTime * page.rate + 1e-3);
      this.frame = page.frames[Math.min(this.lastPlace, Math.max(0, place))];
    },
    tick() { if (this.playing) this.follow(); },

    // ---- A note that is being made ----
    shareOf(event) {
      const box = this.$refs.marks.getBoundingClientRect();
      const share = (value) => Math.min(1, Math.max(0, Math.round(value * 10000) / 10000));
      return [share((event.clientX - box.left) / box.width), share((event.clientY - box.top) / box.height)];
    },
    down(event) {
      this.pause();
      this.open = 0;
      this.drawing = true;
      this.strokes = this.place ? [...this.strokes, [this.shareOf(event)]] : [[this.shareOf(event)]];
      this.place = this.place ?? this.shareOf(event);
      this.$refs.marks.setPointerCapture(event.pointerId);
      this.redraw();
    },
    moved(event) {
      if (!this.drawing) return;
      this.strokes.at(-1).push(this.shareOf(event));
      this.redraw();
    },
    up() {
      if (!this.drawing) return;
      this.drawing = false;
      this.strokes = this.strokes.filter((line) => line.length > 2);
      this.redraw();
      this.$refs.text.focus();
    },
    clear() {
      Object.assign(this, { place: null, strokes: [], text: "" });
      this.redraw();
    },
    get canSay() { return Boolean(this.text.trim()); },
    async say() {
      const [x, y] = this.place ?? [0.5, 0.5];
      await this.guarded(async () => {
        await this.take(post(page.urls.note, { frame: this.frame, x, y, strokes: this.strokes, text: this.text }));
        this.clear();
      });
    },

    // ---- Notes ----
    canRemove(note) { return this.mayChange || (note.open && note.by === page.user); },
    get notes() { return this.list.notes; },
    get pagesText() { return `page ${this.list.page} of ${this.list.pages}`; },
    async turn(by) {
      this.open = 0;
      await this.guarded(() => this.take(get(`${page.urls.notes}?page=${this.list.page + by}`)));
      this.$refs.list.scrollIntoView({ block: "start" });
    },
    get pdfUrl() { return page.urls["notes-pdf"]; },
    async makePdf() {
      await this.guarded(() => this.take(post(page.urls["notes-order"], { page: this.list.page })));
      while (this.list.pdf === "being made") {
        await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
        await this.guarded(() => this.take(get(`${page.urls.notes}?page=${this.list.page}`)));
        if (this.fault) return;
      }
    },
    isOpen(note) { return this.open === note.id; },
    show(note) {
      this.pause();
      if (note.delivery === page.delivery && page.frames.includes(note.frame)) this.frame = note.frame;
      this.open = this.isOpen(note) ? 0 : note.id;
      this.comparing = false;
      Object.assign(this, { place: null, strokes: [] });
      this.$nextTick(() => this.redraw());
    },
    get shown() { return this.notes.find(({ id }) => id === this.open); },
    labelOf(version) { return `v${String(version).padStart(3, "0")}`; },
    stateOf(note) { return note.open ? "open" : `answered by ${this.labelOf(note.version)}`; },
    whereOf(note) {
      const made = note.made.slice(0, 16).replace("T", " ");
      return `frame ${note.frame} · ${this.labelOf(note.seen)} · ${note.by} ${made}`;
    },
    async answer(note) {
      await this.guarded(async () => {
        await this.take(
          post(page.urls.answer, {
            note: note.id,
            was: note.version,
            version: Number(this.version),
            answer: this.answers,
          }),
        );
        this.answers = "";
      });
    },
    async reopen(note) {
      await this.guarded(() => this.take(post(page.urls.answer, { note: note.id, was: note.version, reopen: true })));
    },
    async remove(note) {
      await this.guarded(() => this.take(post(page.urls["note-remove"], { note: note.id })));
      if (!this.fault) this.removed = note;
      this.open = 0;
    },
    async takeBack() {
      await this.guarded(() => this.take(post(page.urls["note-remove"], { note: this.removed.id, restore: true })));
      if (!this.fault) this.removed = null;
    },
    async take(request) {
      this.list = await (await request).json();
      await this.drawn();
    },
    async guarded(request) {
      try {
        await request();
        this.fault = "";
      } catch (error) {
        this.fault = wordsOf(error);
      }
      this.redraw();
    },

    // ---- Before and after the answer ----
    compare() { this.comparing = !this.comparing; },
    pictureOf(note, version) {
      const asked = { kind: "shot", shot: page.shot, frame: note.frame, version, view: "film" };
      return `${page.urls.picture}?${new URLSearchParams(asked)}`;
    },

    // As large as there is room for, in the shape of the frames.
    sized({ naturalWidth, naturalHeight }) {
      const ratio = naturalWidth / naturalHeight;
      this.frameStyle = { aspectRatio: String(ratio), width: `min(100%, calc((100vh - 190px) * ${ratio}))` };
      this.$nextTick(() => this.redraw());
    },

    // The notes of the frame: from the list, or asked for where that is a part of them.
    async drawn() {
      const { frame } = this;
      if (this.list.pages > 1 && !this.playing) {
        const { notes } = await (await get(page.urls.marks.replace(/0\/notes\/$/, `${frame}/notes/`))).json();
        if (frame !== this.frame) return; // another one is shown by now
        this.onFrame = notes;
      }
      this.redraw();
    },
    get drawnNotes() {
      const here = ({ delivery, item, frame }) =>
        delivery === page.delivery && item === page.item && frame === this.frame;
      return (this.list.pages > 1 ? this.onFrame : this.notes).filter(here);
    },
    redraw() {
      const svg = this.$refs.marks;
      if (!svg) return;
      svg.replaceChildren();
      for (const note of this.playing ? [] : this.drawnNotes)
        stroke(svg, note, this.isOpen(note) ? "shown" : note.open ? "open" : "answered");
      if (this.place) stroke(svg, { x: this.place[0], y: this.place[1], strokes: this.strokes }, "fresh");
    },
    pressed(event) {
      if (event.target.closest("input, textarea, select")) return;
      const action = { ArrowLeft: () => this.step(-1), ArrowRight: () => this.step(1), " ": () => this.toggle() }[
        event.key
      ];
      if (!action) return;
      event.preventDefault();
      action();
    },
  };
};
