// The editor of a board: what lies on the sheet as a list, from the lowest to the one on top, and the sheet beside it.
import "../num-field.js";
import { pageData, post, wordsOf } from "../api.js";
import { History } from "../history.js";
import { arranging } from "./arranging.js";
import { dragging } from "./dragging.js";
import { draw } from "./sheet.js";

const SAVED_AFTER = 400; // milliseconds of rest
const clone = (value) => JSON.parse(JSON.stringify(value));

export default () => {
  const page = pageData();
  const history = new History(page.document);
  let revision = page.revision;
  let saving = 0;
  let written = true;
  let typed = ""; // the field that is being typed into

  const own = {
    board: clone(page.document),
    kinds: page.kinds,
    settings: page.settings,
    mayChange: page.mayChange,
    chosen: [], // ids
    fault: "",
    saved: "saved",
    remarks: page.remarks,
    preview: "",
    finding: false,
    serial: 0,
    shadowCopied: null,

    init() {
      this.$nextTick(() => this.redraw());
      new ResizeObserver(() => this.redraw()).observe(this.$refs.sheet);
      window.addEventListener("beforeunload", (event) => {
        if (written) return;
        clearTimeout(saving);
        this.send({ leaving: true });
        event.preventDefault();
      });
    },

    // ---- What is chosen ----
    get elements() { return this.board.elements; },
    get kindList() { return Object.values(this.kinds); },
    get picked() { return this.elements.filter(({ id }) => this.chosen.includes(id)); },
    get hasPicked() { return this.picked.length > 0; },
    get one() { return this.picked.length === 1 ? this.picked[0] : null; },
    isChosen(element) { return this.chosen.includes(element.id); },
    choose(element, more) {
      const alike = element.group
        ? this.elements.filter(({ group }) => group === element.group).map(({ id }) => id)
        : [element.id];
      const now = this.isChosen(element);
      this.chosen = more ? [...this.chosen.filter((id) => !alike.includes(id)), ...(now ? [] : alike)] : alike;
      this.redraw();
    },
    press(element, event) { this.choose(element, event.shiftKey); },
    chooseNone() {
      this.chosen = [];
      this.redraw();
    },
    titleOf(element) {
      return (
        element.name || (element.kind === "text" ? element.text.split("\n")[0] : "") || this.kinds[element.kind].title
      );
    },
    kindOf(element) { return this.kinds[element.kind]; },

    // ---- Changes: each is one step of undo ----
    change(make) {
      if (!this.mayChange) return;
      const next = clone(this.board);
      make(next);
      history.change(next);
      this.show(next);
      this.save();
    },
    // Text as it is typed: kept at once, and all of it one step of undo.
    type(name, make) {
      if (!this.mayChange) return;
      const next = clone(this.board);
      make(next);
      if (typed === name) history.amend(next);
      else history.change(next);
      typed = name;
      this.show(next);
      this.save();
    },
    typeOne(field, value) {
      const ids = new Set(this.chosen);
      const picked = (board) => board.elements.filter(({ id }) => ids.has(id));
      this.type(`${[...ids].join()} ${field}`, (board) =>
        picked(board).forEach((element) => {
          element[field] = value;
        }),
      );
    },
    typeBoard(field, value) { this.type(`board ${field}`, (board) => { board[field] = value; }); },
    typingEnds() { typed = ""; },
    changePicked(make) {
      const ids = new Set(this.chosen);
      this.change((board) => board.elements.filter(({ id }) => ids.has(id)).forEach(make));
    },
    show(next) {
      this.board = clone(next);
      this.chosen = this.chosen.filter((id) => next.elements.some((element) => element.id === id));
      this.preview = "";
      this.redraw();
    },
    undo() {
      this.show(history.undo());
      this.save();
    },
    redo() {
      this.show(history.redo());
      this.save();
    },
    save() {
      written = false;
      this.saved = "saving";
      clearTimeout(saving);
      saving = setTimeout(() => this.send(), SAVED_AFTER);
    },
    async send({ leaving = false } = {}) {
      const sent = history.current;
      try {
        const answer = await post(page.urls.save, { document: sent, revision }, { leaving });
        ({ revision, remarks: this.remarks } = await answer.json());
        written = sent === history.current;
        this.saved = written ? "saved" : "saving";
        if (!written) this.save();
        this.fault = "";
      } catch (error) {
        this.saved = "not saved";
        this.fault = wordsOf(error);
      }
    },

    // ---- Settings ----
    settingsOf(element) {
      return this.kindOf(element).settings.filter(({ when }) => !when || when[1].includes(String(element[when[0]])));
    },
    optionsOf(value, setting) {
      return setting.words.map((word, place) => ({ word, title: setting.titles[place], chosen: value === word }));
    },
    isLong(setting) { return setting.takes === "text"; },
    set(field, value) { this.changePicked((element) => { element[field] = value; }); },
    setOne(element, field, value) {
      this.change((board) => { board.elements.find(({ id }) => id === element.id)[field] = value; });
    },
    setBoard(field, value) { this.change((board) => { board[field] = value; }); },
    setShadow(field, value) { this.changePicked((element) => { element.shadow[field] = value; }); },
    wordOf(setting, text) { return setting.words.find((word) => String(word) === text); },
    shadowSettings: page.shadow.settings,
    toggleShadow(on) { this.changePicked((element) => { element.shadow = on ? clone(page.shadow.usual) : null; }); },
    copyShadow(element) { this.shadowCopied = clone(element.shadow); },
    pasteShadow() { this.changePicked((element) => { element.shadow = clone(this.shadowCopied); }); },
    get canPasteShadow() { return this.shadowCopied !== null && this.hasPicked; },

    // ---- Pictures ----
    shots: page.choices.shots,
    ownShot: page.shot,
    shotOf(source) { return this.shots.find(({ code }) => code === source?.shot); },
    ledgerOf(source) { return this.shotOf(source?.shared ? { shot: source.shared } : source); },
    framesOf(source) { return this.shotOf(source)?.frames ?? []; },
    versionsOf(source) {
      return [
        { number: 0, title: "as it is now" },
        ...(this.ledgerOf(source)?.versions ?? []).map((number) => ({
          number,
          title: `v${String(number).padStart(3, "0")}`,
        })),
      ];
    },
    setSource(field, value) {
      this.changePicked((element) => {
        element.source = {
          kind: "shot",
          shared: "",
          shot: page.shot,
          frame: 0,
          version: 0,
          view: "film",
          alpha: "over",
          ...(element.source?.kind === "shot" ? element.source : {}),
          [field]: value,
        };
        const frames = this.framesOf(element.source);
        if (frames.length && !frames.includes(element.source.frame)) [element.source.frame] = frames;
      });
    },
    setFile(path) { this.changePicked((element) => { element.source = { kind: "file", path: path.trim() }; }); },
    pictureUrl(source) { return `${page.urls.picture}?${new URLSearchParams(source)}`; },

    // ---- Adjustment of the whole ----
    steps: page.steps,
    addStep(kind) {
      if (!kind) return;
      const step = clone(this.steps.find((each) => each.kind === kind).blank);
      const taken = new Set(this.board.finish.map(({ id }) => id));
      let id = kind;
      for (let number = 2; taken.has(id); number++) id = `${kind}_${number}`;
      this.change((board) => board.finish.push({ ...step, id }));
    },
    removeStep(step) { this.change((board) => { board.finish = board.finish.filter(({ id }) => id !== step.id); }); },
    setStep(step, field, value) {
      this.change((board) => {
        board.finish.find(({ id }) => id === step.id)[field] = value;
      });
    },
    stepTitle(step) { return this.steps.find(({ kind }) => kind === step.kind)?.title ?? step.kind; },
    stepSettings(step) {
      const known = this.steps.find(({ kind }) => kind === step.kind)?.settings ?? [];
      return known.filter(
        ({ takes, parts, when }) =>
          takes === "number" && parts.length === 1 && (!when || when[1].includes(String(step[when[0]]))),
      );
    },

    // ---- The sheet ----
    redraw() {
      if (this.$refs.sheet) draw(this.$refs.sheet, this);
    },
    async look() {
      this.finding = true;
      try {
        const answer = await post(page.urls.preview, { document: history.current });
        if (this.preview) URL.revokeObjectURL(this.preview);
        this.preview = URL.createObjectURL(await answer.blob());
        this.fault = "";
      } catch (error) {
        this.fault = wordsOf(error);
      }
      this.finding = false;
    },
    closePreview() { this.preview = ""; },
    download() {
      const link = document.createElement("a");
      link.href = URL.createObjectURL(
        new Blob([JSON.stringify(history.current, null, 1)], { type: "application/json" }),
      );
      link.download = `${this.board.name}.json`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 1000);
    },
    get sizeText() {
      const dots = this.board.unit === "px" ? 1 : this.board.unit === "inch" ? this.board.dpi : this.board.dpi / 25.4;
      const edge = 2 * Math.round(this.board.border * dots);
      return `${Math.round(this.board.width * dots) + edge} x ${Math.round(this.board.height * dots) + edge} pixels`;
    },
    pressed(event) {
      if (event.target.closest("input, textarea, select, [contenteditable]")) return;
      const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      const control = event.ctrlKey || event.metaKey;
      const run = (action) => {
        event.preventDefault();
        action();
      };
      if (control && event.key.toLowerCase() === "z") run(() => (event.shiftKey ? this.redo() : this.undo()));
      else if (control && event.key.toLowerCase() === "d") run(() => this.duplicate());
      else if (control && event.key.toLowerCase() === "a") {
        run(() => {
          this.chosen = this.elements.map(({ id }) => id);
          this.redraw();
        });
      }
      else if (arrow && this.hasPicked) run(() => this.nudge(arrow, event.shiftKey ? 10 : event.altKey ? 0.1 : 1));
      else if ((event.key === "Delete" || event.key === "Backspace") && this.hasPicked) run(() => this.remove());
      else if (event.key === "[" && this.hasPicked) run(() => this.reorder(-1));
      else if (event.key === "]" && this.hasPicked) run(() => this.reorder(1));
      else if (event.key === "Escape") this.chooseNone();
    },
  };
  const joined = {};
  for (const part of [own, arranging(), dragging()])
    Object.defineProperties(joined, Object.getOwnPropertyDescriptors(part));
  return joined;
};
