// What can become a row: everything there is, searched by words and grouped by where it comes from.
import { byRef, nextTick, reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createAdding>} Adding */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./rows.js").Rows} uses.rows
 */
export const createAdding = (page, { editor, sources, settings, rows }) => reactive({
  open: false,
  wanted: "",

  toggle() {
    this.open = !this.open;
    this.wanted = "";
    if (this.open) nextTick(() => byRef("wanted").focus());
  },
  // By element, under whose name a pass needs no other; pictures that may lie behind last, those of other files first.
  get choices() {
    const byElement = Map.groupBy(sources.all, ({ elementName }) => elementName);
    const asRows = [...byElement].map(([name, own]) => ({
      name,
      items: own.map((source) => ({
        id: source.key,
        text: source.denoised ? `${source.passTitle}, denoised` : source.passTitle,
        key: source.pass,
      })),
    }));
    const beauty = sources.of({ source: editor.document.beauty });
    const light = sources.all
      .filter(({ data }) => !data)
      .sort((a, b) => Number(a.element === beauty?.element) - Number(b.element === beauty?.element));
    const behind = light.map((source) => ({ id: `behind ${source.key}`, text: source.title, key: source.pass }));
    const cards = this.hasDepth
      ? light.map((source) => ({ id: `card ${source.key}`, text: source.title, key: source.pass }))
      : [];
    return [
      { name: "", items: page.made },
      ...asRows,
      { name: "as the picture behind", items: behind },
      { name: "as a card at a depth", items: cards },
    ];
  },
  get hasDepth() {
    return (
      sources.all.some(({ isDeep }) => isDeep) || editor.document.rows.some((row) => settings.kindOf(row).ordersByDepth)
    );
  },
  get found() {
    const words = this.wanted.toLowerCase().split(/\s+/);
    const fits = (name, { text, key = "" }) =>
      words.every((word) => `${name} ${text} ${key}`.toLowerCase().includes(word));
    return this.choices
      .map(({ name, items }) => ({ name, items: items.filter((item) => fits(name, item)) }))
      .filter(({ items }) => items.length);
  },
  get nothingFound() { return this.found.length === 0; },
  async addFound(id) {
    this.open = false;
    await rows.add(id);
  },
  addFirst() {
    const first = this.found[0]?.items[0];
    if (first && this.wanted) this.addFound(first.id);
  },
  // Up and down walk the list as one column, from the search on.
  walkChoices(event) {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!step) return;
    event.preventDefault();
    const stops = [...event.currentTarget.querySelectorAll("input, .choice")];
    stops[Math.min(stops.length - 1, Math.max(0, stops.indexOf(document.activeElement) + step))].focus();
  },
});
