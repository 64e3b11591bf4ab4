// Any pass of any element of a shot, with what is needed to distrust it.
import { pageData } from "./api.js";
import { viewer } from "./viewer/index.js";

export default () => {
  const page = pageData();

  return viewer(page, {
    elements: page.elements,
    element: page.element,
    key: page.key,
    spread: false, // all passes at once instead of one

    init() {
      this.openViewer();
      this.refresh();
    },

    // ---- What is shown ----
    get shown() { return this.elements.find((element) => element.id === this.element); },
    get passes() { return this.shown.passes; },
    get pass() { return this.passes.find((pass) => pass.key === this.key); },
    get title() { return `${this.pass?.title ?? this.key} · frame ${this.frame}`; },
    get frames() { return this.shown.frames; },
    get subject() { return { kind: "pass", element: this.element, key: this.key }; },
    get probeKey() { return `${this.shown.name}/${this.key}`; },
    get isData() { return this.pass?.data ?? false; },
    get isRange() { return this.isData && (this.way === "range" || (this.way === "auto" && this.pass.way === "range")); },
    elementText(element) { return element.name; },
    chooseElement(event) {
      this.element = Number(event.target.value);
      if (!this.passes.some((pass) => pass.key === this.key)) this.key = this.passes[0]?.key ?? "";
      if (this.frames.length && !this.frames.includes(this.frame)) this.frame = this.frames[0];
      this.showRibbon();
      this.refresh();
    },
    choosePass(key) {
      this.key = key;
      this.asSuits();
      this.refresh();
    },
    isShown(pass) { return pass.key === this.key; },
    stepPass(by) {
      const at = this.passes.findIndex((pass) => pass.key === this.key) + by;
      if (this.passes[at]) this.choosePass(this.passes[at].key);
    },

    // ---- What it can be compared with ----
    get origins() {
      const own = (element) => Number(element.id !== this.element);
      return this.elements
        .toSorted((a, b) => own(a) - own(b))
        .map((element) => ({ id: String(element.id), text: element.name, items: element.passes.map(({ key, title }) => ({ key, text: title })) }));
    },
    otherSubject(origin, key) { return { kind: "pass", element: Number(origin.id), key }; },

    // ---- All passes at once ----
    toggleSheet() { this.spread = !this.spread; },
    open(pass) {
      this.spread = false;
      this.choosePass(pass.key);
    },
    thumb(pass) {
      const url = page.urls.thumb.replace("/0/", `/${this.element}/`);
      return `${url}?${new URLSearchParams({ pass: pass.key, frame: this.frame, width: 240 })}`;
    },
    get sheetUrl() { return `${page.urls.sheet}?element=${this.element}&frame=${this.frame}&view=${this.viewName}`; },
    get intakeUrl() { return `${page.urls.intake}?element=${this.element}`; },
    nameAddress() {
      window.history.replaceState(null, "", `?${new URLSearchParams({ element: this.element, pass: this.key, frame: this.frame })}`);
    },
    ownKeys() {
      return { ArrowUp: () => this.stepPass(-1), ArrowDown: () => this.stepPass(1), a: () => this.toggleSheet() };
    },
  });
};
