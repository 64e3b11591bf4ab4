// What the open part of a matte takes, chosen in the picture or from the list of names.
import { post } from "../api.js";
import { Newest } from "../newest.js";
import { reactive } from "../reactive.js";
import { placeOf } from "../viewer/probing.js";
import { changedTo } from "./time.js";

const PICKED = {
  names: "Press an object to take it or leave it, drag a box for many",
  colour: "Press the colour",
  range: "Press, or drag a box over, what is to be in the range",
  direction: "Press a surface that faces the way",
  box: "Drag a box over what is to be inside",
};
const MOST_LISTED = 60;

/** @typedef {ReturnType<typeof createPicking>} Picking */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("./sources.js").Sources} uses.sources
 * @param {import("./mattes.js").Mattes} uses.mattes
 * @param {import("./strokes.js").Strokes} uses.strokes
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("./target-numbers.js").Numbers} uses.numbers
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/probing.js").Probe} uses.probe
 * @param {import("../viewer/aiming.js").Aim} uses.aim
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createPicking = (
  page,
  { editor, sources, mattes, strokes, settings, numbers, frames, probe, aim, notices },
) => {
  const reading = new Newest((part) => picking.fetchPart(part));

  const picking = reactive({
    names: [], // of the open part's Cryptomatte: { id, name, share }
    lostShare: 0,
    nameSearch: "",
    measured: null, // histogram that the open range goes by

    begin(part) {
      this.readNames();
      if (PICKED[part.kind]) this.pick();
      if (part.kind === "strokes") strokes.draw();
    },
    // What the page has to know of the open part: names, or a histogram.
    readNames() {
      const part = mattes.openedPart;
      if (part?.kind === "names" || part?.kind === "range") reading.ask(part);
    },
    async fetchPart(part) {
      await notices.guarded(async () => {
        const asked = { ...editor.question(), source: part.source };
        if (part.kind === "names") {
          const { names, lost } = await (await post(page.urls.names, asked)).json();
          this.names = names;
          this.lostShare = lost;
        } else {
          this.measured = {
            of: part.source + part.measure,
            ...(await (await post(page.urls.histogram, { ...asked, what: part.measure })).json()),
          };
        }
      });
    },
    canPick(part) {
      return part.kind in PICKED;
    },
    pickName(line) {
      return `part ${mattes.opened} ${line.index}`;
    },
    toggle(line) {
      mattes.openPart = line.index;
      this.pick();
    },
    pick() {
      const { openedPart: part, openPart } = mattes;
      aim.often(`part ${mattes.opened} ${openPart}`, PICKED[part.kind], async (box) => {
        const asked = { ...editor.question(), source: part.source, what: part.measure ?? "first", ...box };
        const names = part.kind === "names" ? this.namesRead(part.source, box) : [];
        this.take(names.length ? { names } : await (await post(page.urls.pick, asked)).json(), box);
      });
    },
    // What the probe has read under the pointer already needs not be asked for again.
    namesRead(source, box) {
      if (probe.linesAt !== placeOf(frames.current, box) || box.x !== box.x1 || box.y !== box.y1) return [];
      const lead = `name/${source}/`;
      const read = probe.lines.find(({ key }) => key.startsWith(lead));
      const id = read?.key.slice(lead.length);
      return read ? [{ id, name: read.title === id ? "" : read.title }] : [];
    },
    // Of the part as it is by now: presses may come faster than answers.
    take(picked, box) {
      const target = mattes.partLines[mattes.openPart]?.row;
      if (!target || !this.canPick(target)) return;
      const changes = {
        names: () => this.withNames(picked.names, box),
        colour: () => ({ colour: picked.colour, x: box.x + 0.5, y: box.y + 0.5 }),
        range: () => this.withRange(target, picked),
        direction: () => ({ toward: picked.colour }),
        box: () => ({ low: picked.least, high: picked.most }),
      }[target.kind]();
      if (
        Object.values(changes)
          .flat()
          .some((value) => value === null)
      )
        notices.remark = "Nothing is measured there.";
      else settings.change(target, changes);
    },
    // One that is in already goes out; a box only adds.
    withNames(found, { x, y, x1, y1 }) {
      const { names } = mattes.openedPart;
      const single = x === x1 && y === y1;
      const taken = new Set(names.map(({ id }) => id));
      if (single && found.length && taken.has(found[0].id))
        return { names: names.filter(({ id }) => id !== found[0].id) };
      return { names: [...names, ...found.filter(({ id }) => !taken.has(id)).map(({ id, name }) => ({ id, name }))] };
    },
    // The range widens to what was pressed; the first press begins it.
    withRange(part, { low, high }) {
      const blank = page.kinds.parts.range.blank;
      const fresh = JSON.stringify([part.low, part.high]) === JSON.stringify([blank.low, blank.high]);
      if (fresh || low === null) return { low, high };
      const set = (field, value) => ({ [field]: changedTo(part[field], frames.current, value) });
      const [from, to] = [numbers.at(part, { field: "low" }, 0), numbers.at(part, { field: "high" }, 0)];
      return { ...(low < from ? set("low", low) : {}), ...(high > to ? set("high", high) : {}) };
    },

    get hoverNames() {
      const names = probe.lines
        .filter(({ key }) => key.startsWith("name/"))
        .map(({ title, stored }) => `${title} ${Math.round(stored[0] * 100)} %`);
      return names.join(", ") || "no name here";
    },

    // ---- The list of names ----
    get namesListed() {
      const taken = new Set((mattes.openedPart?.names ?? []).map(({ id }) => id));
      const here = new Set(this.names.map(({ id }) => id));
      const away = (mattes.openedPart?.names ?? [])
        .filter(({ id }) => !here.has(id))
        .map((name) => ({ ...name, share: 0 }));
      const fits = fitting(this.nameSearch);
      const found = [...away, ...this.names].filter(({ id, name }) => taken.has(id) || fits(name || id));
      return found
        .sort((a, b) => Number(taken.has(b.id)) - Number(taken.has(a.id)))
        .slice(0, MOST_LISTED)
        .map((entry) => ({
          ...entry,
          title: entry.name || entry.id,
          taken: taken.has(entry.id),
          text: shareText(entry.share),
        }));
    },
    get namesText() {
      const lost =
        this.lostShare >= 0.0005
          ? ` ${(this.lostShare * 100).toFixed(1)} % of what is covered is lost, since there are too few levels.`
          : "";
      return `${this.names.length} names.${lost}`;
    },
    toggleNamed(entry) {
      const { names } = mattes.openedPart;
      const kept = names.filter(({ id }) => id !== entry.id);
      settings.change(mattes.partLines[mattes.openPart].row, {
        names: kept.length < names.length ? kept : [...names, { id: entry.id, name: entry.name }],
      });
    },
    takeFound() {
      const fits = fitting(this.nameSearch);
      const taken = new Set(mattes.openedPart.names.map(({ id }) => id));
      const found = this.names
        .filter(({ id, name }) => name && fits(name) && !taken.has(id))
        .map(({ id, name }) => ({ id, name }));
      settings.change(mattes.partLines[mattes.openPart].row, { names: [...mattes.openedPart.names, ...found] });
    },
    keepPattern() {
      const pattern = this.nameSearch.trim();
      if (!pattern || mattes.openedPart.patterns.includes(pattern)) return;
      settings.change(mattes.partLines[mattes.openPart].row, { patterns: [...mattes.openedPart.patterns, pattern] });
      this.nameSearch = "";
    },
    dropPattern(line, pattern) {
      settings.change(line.row, { patterns: line.row.patterns.filter((other) => other !== pattern) });
    },

    // ---- A range on its histogram ----
    rangeReason({ source }) {
      return sources.of({ source })?.unfiltered
        ? "Unfiltered, so its edges are hard; mist, where there is one, has those of the picture."
        : "";
    },
    rangeBins(part) {
      return JSON.stringify(this.measured?.of === part.source + part.measure ? this.measured : null);
    },
    slideRange(part, ends) {
      settings.slide(part, this.keyedEnds(part, ends));
    },
    setRange(part, ends) {
      settings.change(part, this.keyedEnds(part, ends));
    },
    takeBelow(part) {
      this.setRange(part, { low: settings.settingOf(part, "low").range[0] });
    },
    takeAbove(part) {
      this.setRange(part, { high: settings.settingOf(part, "high").range[1] });
    },
    keyedEnds(part, ends) {
      return Object.fromEntries(
        Object.entries(ends).map(([field, value]) => [field, changedTo(part[field], frames.current, value)]),
      );
    },
  });
  return picking;
};

// * stands for anything, ? for one letter; without either, anywhere in the name.
function fitting(search) {
  const text = search.trim().toLowerCase();
  if (!/[*?]/.test(text)) return (name) => name.toLowerCase().includes(text);
  const pattern = new RegExp(
    `^${text
      .replace(/[.+^${}()|[\]\\]/g, "\\$&")
      .replaceAll("*", ".*")
      .replaceAll("?", ".")}$`,
  );
  return (name) => pattern.test(name.toLowerCase());
}

const shareText = (share) => (share === 0 ? "not here" : share < 0.0005 ? "< 0.1 %" : `${(share * 100).toFixed(1)} %`);
