// Any pass of any element of a shot, with what is needed to distrust it.
import { pageData } from "./api.js";
import { reactive } from "./reactive.js";
import { createViewer } from "./viewer/index.js";

export default () => {
  const page = pageData();

  const { parts: viewer } = createViewer(page, {
    subject: () => ({ kind: "pass", element: passes.element, key: passes.key }),
    title: () => `${passes.pass?.title ?? passes.key} · frame ${frames.current}`,
    frames: () => passes.shown.frames,
    probeKey: () => `${passes.shown.name}/${passes.key}`,
    data: () => (passes.pass?.data ? passes.pass : null),
    origins: () => passes.origins,
    otherSubject: (origin, key) => ({ kind: "pass", element: Number(origin.id), key }),
    onRefresh: () => {
      const query = new URLSearchParams({ element: passes.element, pass: passes.key, frame: frames.current });
      window.history.replaceState(null, "", `?${query}`);
    },
    ownKeys: () => ({ ArrowUp: () => passes.step(-1), ArrowDown: () => passes.step(1), a: () => passes.toggleSheet() }),
  });
  const { frames, looks, picture } = viewer;

  // ---- The list of passes, and all of them at once ----
  const passes = reactive({
    elements: page.elements,
    element: page.element,
    key: page.key,
    spread: false, // all passes at once instead of one

    get shown() { return this.elements.find((element) => element.id === this.element); },
    get all() { return this.shown.passes; },
    get pass() { return this.all.find((pass) => pass.key === this.key); },
    elementText(element) { return element.name; },
    chooseElement(event) {
      this.element = Number(event.target.value);
      if (!this.pass) this.key = this.all[0]?.key ?? "";
      if (frames.all.length && !frames.all.includes(frames.current)) frames.current = frames.all[0];
      frames.showRibbon();
      picture.refresh();
    },
    choose(key) {
      this.key = key;
      looks.asSuits();
      picture.refresh();
    },
    isShown(pass) { return pass.key === this.key; },
    step(by) {
      const at = this.all.findIndex((pass) => pass.key === this.key) + by;
      if (this.all[at]) this.choose(this.all[at].key);
    },
    // What it can be compared with: first what is shown.
    get origins() {
      const own = (element) => Number(element.id !== this.element);
      return this.elements
        .toSorted((a, b) => own(a) - own(b))
        .map((element) => ({
          id: String(element.id),
          text: element.name,
          items: element.passes.map(({ key, title }) => ({ key, text: title })),
        }));
    },
    toggleSheet() { this.spread = !this.spread; },
    open(pass) {
      this.spread = false;
      this.choose(pass.key);
    },
    thumb(pass) {
      const url = page.urls.thumb.replace("/0/", `/${this.element}/`);
      return `${url}?${new URLSearchParams({ pass: pass.key, frame: frames.current, width: "240" })}`;
    },
    get sheetUrl() {
      return `${page.urls.sheet}?element=${this.element}&frame=${frames.current}&view=${looks.viewName}`;
    },
    get intakeUrl() { return `${page.urls.intake}?element=${this.element}`; },
  });

  return {
    ...viewer, passes,
    init() {
      frames.showRibbon();
      picture.refresh();
    },
  };
};
