// The items of the delivery: each a subject and an encoding, whose settings come from Python.
import { post } from "../api.js";

const NAMED_AFTER = 250; // milliseconds of rest

export const items = (page) => ({
  kinds: page.kinds,
  document: page.document,
  frames: page.frames,
  opened: "",
  named: {}, // by item: words and paths
  folder: "", // of the delivery, below the storage
  why: "",
  whose: "", // the item that `why` is said of
  naming: 0,
  removed: null, // the last thing taken away: its name, and what brings it back
  ordering: false,

  init() {
    if (!this.mayChange) return;
    this.name();
    // What it is made from may have changed while another page was looked at.
    document.addEventListener("visibilitychange", () => {
      if (document.visibilityState === "visible") this.guarded(() => this.look());
    });
  },

  get list() { return this.document.items; },
  get kindList() { return Object.values(this.kinds); },
  kindOf(item) { return this.kinds[item.encoding.kind]; },
  isOpen(item) { return this.opened === item.id; },
  open(item) { this.opened = this.isOpen(item) ? "" : item.id; },
  wordsOf(item) { return this.named[item.id]?.words ?? this.kindOf(item).meaning; },
  pathsOf(item) { return item.enabled ? (this.named[item.id]?.paths ?? []) : []; },
  whyOf(item) { return this.whose === item.id ? this.why : ""; },
  get whyOfAll() { return this.whose ? "" : this.why; },

  get large() { return this.previews.largeOf(this.list, this.deliveries); },

  // ---- Settings ----
  settingsOf(item) {
    const setTo = (name) => String(item.encoding[name]);
    return this.kindOf(item).settings.filter(({ when, suits }) =>
      (!when || when[1].includes(setTo(when[0]))) && (!suits.length || suits.includes(item.subject)));
  },
  needsNames(item) { return ["passes", "mattes", "deep"].includes(item.subject); },
  namesLists(item) { return item.subject === "mattes" ? "mattes" : "passes"; },
  choicesOf(lists) { return [{ key: "*", title: "all of them" }, ...(page.choices[lists] ?? [])]; },
  sourcesOf(lists) { return [{ key: "", title: "none" }, ...(page.choices[lists] ?? [])]; },
  noteOf(item, setting) { return setting.notes[item.encoding[setting.field]] ?? ""; },
  optionsOf(item, setting) {
    return setting.words.map((word, place) => ({
      word,
      title: setting.titles[place],
      chosen: item.encoding[setting.field] === word,
    }));
  },
  set(item, field, value) {
    item.encoding[field] = value;
    this.changed();
  },
  choose(item, setting, text) { this.set(item, setting.field, setting.words.find((word) => String(word) === text)); },
  slide(item, setting, value) { this.set(item, setting.field, value); },
  hasName(list, key) { return list.includes(key); },
  tickName(list, key, on) { return on ? [...list, key] : list.filter((other) => other !== key); },
  tickBeside(item, field, key, on) { this.set(item, field, this.tickName(item.encoding[field], key, on)); },
  tickSubject(item, key, on) {
    item.names = this.tickName(item.names, key, on);
    this.changed();
  },
  besideText(list) { return list.includes("*") ? "all" : String(list.length || "none"); },
  setItem(item, field, value) {
    item[field] = value;
    if (field === "subject") item.names = [];
    this.changed();
  },
  rename(item, text, input) {
    const taken = this.list.some((other) => other !== item && other.id.toLowerCase() === text.toLowerCase());
    if (!/^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$/.test(text) || taken) {
      input.value = item.id;
      return;
    }
    if (this.isOpen(item)) this.opened = text;
    item.id = text;
    this.changed();
  },

  // ---- Pictures that are chosen ----
  adding: { shot: page.choices.shots?.[0]?.code ?? "", version: "0", frames: "", path: "" },
  get shotList() { return page.choices.shots ?? []; },
  versionsOf(code) { return this.shotList.find((shot) => shot.code === code)?.versions ?? []; },
  pictureText(source) {
    return source.kind === "file"
      ? source.path.split("/").at(-1)
      : `${source.shot} ${source.frame}${source.version ? ` v${source.version}` : ""}`;
  },
  addPictures(item, setting) {
    const { shot, version, frames } = this.adding;
    const numbers = frames
      .split(",")
      .map((text) => Number(text))
      .filter((number) => Number.isInteger(number) && number);
    const fresh = numbers.map((frame) => ({
      kind: "shot",
      shot,
      frame,
      version: Number(version),
      view: item.encoding.view,
      alpha: "over",
    }));
    this.set(item, setting.field, [...item.encoding[setting.field], ...fresh]);
  },
  addFile(item, setting) {
    const path = this.adding.path.trim();
    if (path) this.set(item, setting.field, [...item.encoding[setting.field], { kind: "file", path }]);
    this.adding.path = "";
  },
  dropPicture(item, setting, place) {
    this.set(
      item,
      setting.field,
      item.encoding[setting.field].filter((_, other) => other !== place),
    );
  },

  // ---- The list ----
  free(stem) {
    const taken = new Set(this.list.map(({ id }) => id));
    let id = stem;
    for (let number = 2; taken.has(id); number++) id = `${stem}_${number}`;
    return id;
  },
  add(kind) {
    const item = {
      id: this.free(kind.kind), subject: kind.subjects[0].kind, names: [], pattern: "", enabled: true,
      encoding: JSON.parse(JSON.stringify(kind.usual)),
    };
    this.list.push(item);
    this.opened = item.id;
    this.changed();
  },
  duplicate(item) {
    const copy = JSON.parse(JSON.stringify(item));
    copy.id = this.free(item.id);
    this.list.splice(this.list.indexOf(item) + 1, 0, copy);
    this.opened = copy.id;
    this.changed();
  },
  remove(item) {
    const at = this.list.indexOf(item);
    this.document.items = this.list.filter((other) => other !== item);
    this.removed = {
      what: item.id,
      back: () => this.list.splice(at, 0, { ...item, id: this.free(item.id) }) && this.changed(),
    };
    this.changed();
  },
  async takeBack() {
    const { back } = this.removed;
    this.removed = null;
    await back();
  },
  setFrames(text) {
    this.frames = text;
    this.changed();
  },
  allFrames() { this.setFrames(page.present); },

  // ---- What it comes to ----
  get asked() { return { frames: this.frames, document: this.document }; },
  changed() {
    this.previews.forgetOthers(this.frames, this.list);
    clearTimeout(this.naming);
    this.naming = setTimeout(() => this.name(), NAMED_AFTER);
  },
  async name() {
    await this.guarded(async () => {
      const answer = await this.look();
      if (!answer.why || answer.why.code !== "document.bad") await this.save();
    });
  },
  async look() {
    const answer = await (await post(page.urls.names, this.asked)).json();
    this.take(answer);
    if (!answer.why) this.previews.ask(this.frames, JSON.parse(JSON.stringify(this.document)), answer.items);
    return answer;
  },
  // One after the other, since each goes on from the revision that the one before it made.
  async save() {
    const asked = { ...this.asked };
    page.saving = (page.saving ?? Promise.resolve()).catch(() => {}).then(async () => {
      page.revision = (await (await post(page.urls.draft, { ...asked, revision: page.revision })).json()).revision;
    });
    await page.saving;
  },
  take({ items: found, folder, why }) {
    this.folder = folder;
    if (found.length) this.named = Object.fromEntries(found.map((each) => [each.item, each]));
    this.why = why ? `${why.what} ${why.advice}` : "";
    this.whose = why ? (/^item ([^,]+)/.exec(why.where)?.[1] ?? "") : "";
  },
  get cannotWrite() { return Boolean(this.why) || this.ordering || !this.list.some(({ enabled }) => enabled); },
  async write() {
    this.ordering = true;
    await this.guarded(async () => {
      await this.save();
      this.show((await (await post(page.urls.order, this.asked)).json()).deliveries);
    });
    this.ordering = false;
    this.follow();
  },
});
