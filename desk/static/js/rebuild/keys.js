// Numbers of the opened row over time: keys set, eased, drawn as a curve, copied and pasted.
import { reactive } from "../reactive.js";
import { at, eased, isKeyed, keyAt, toggled } from "./time.js";

const COPIED = "eager:keys"; // where copied keys lie, for other rows and other shots

/** @typedef {ReturnType<typeof createKeys>} Keys */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./settings.js").Settings} uses.settings
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createKeys = (page, { settings, frames, notices }) => reactive({
  eases: ["linear", "smooth", "hold"],
  part: 0,
  shotEnds: { first: page.first, last: page.last },
  copied: JSON.parse(sessionStorage.getItem(COPIED) ?? "null"),

  partsOf(row, { field }) { return Array.isArray(row[field]) ? row[field] : [row[field]]; },
  isKeyed(row, number) { return this.partsOf(row, number).some(isKeyed); },
  hasKey(row, number) { return this.partsOf(row, number).some((part) => keyAt(part, frames.current)); },
  icon(row, number) {
    return this.hasKey(row, number) ? "bi-diamond-fill" : this.isKeyed(row, number) ? "bi-diamond-half" : "bi-diamond";
  },
  label(row, number) {
    return `${this.hasKey(row, number) ? "Take the key away from" : "Key"} ${number.title} at frame ${frames.current}`;
  },
  withParts(row, { field }, change) {
    return { [field]: Array.isArray(row[field]) ? row[field].map(change) : change(row[field], 0) };
  },
  toggle(row, number) {
    const has = this.hasKey(row, number);
    settings.change(
      row,
      this.withParts(row, number, (old) =>
        has === Boolean(keyAt(old, frames.current)) ? toggled(old, frames.current) : old,
      ),
    );
  },
  easeOf(row, number) {
    return (
      this.partsOf(row, number)
        .map((part) => keyAt(part, frames.current))
        .find(Boolean)?.ease ?? "linear"
    );
  },
  setEase(row, number, ease) {
    settings.change(
      row,
      this.withParts(row, number, (old) => (keyAt(old, frames.current) ? eased(old, frames.current, ease) : old)),
    );
  },
  drop(row, number) { settings.change(row, this.withParts(row, number, (old) => at(old, frames.current))); },

  // ---- Drawn, one part at a time ----
  shownPart(row, number) {
    const parts = this.partsOf(row, number);
    return isKeyed(parts[this.part]) ? this.part : parts.findIndex(isKeyed);
  },
  keyedParts(row, number) {
    const parts = this.partsOf(row, number);
    const shown = this.shownPart(row, number);
    return parts.length < 2
      ? []
      : number.parts
          .map((name, index) => ({ name, index, shown: index === shown }))
          .filter(({ index }) => isKeyed(parts[index]));
  },
  ofPart(row, number) { return this.partsOf(row, number)[this.shownPart(row, number)]?.keys ?? []; },
  json(row, number) { return JSON.stringify(this.ofPart(row, number)); },
  fieldLabel({ title }) { return `Keys of ${title}; double click adds one`; },
  withKeys(row, number, keyed) {
    const shown = this.shownPart(row, number);
    return this.withParts(row, number, (old, index) => (index === shown ? { keys: keyed } : old));
  },
  slideKeys(row, number, keyed) { settings.slide(row, this.withKeys(row, number, keyed)); },
  setKeys(row, number, keyed) { settings.change(row, this.withKeys(row, number, keyed)); },
  goTo(row, number, way) {
    const keyed = this.ofPart(row, number).map(({ frame }) => frame);
    const isBefore = (frame) => frame < frames.current;
    const next = way < 0 ? keyed.findLast(isBefore) : keyed.find((frame) => frame > frames.current);
    if (next === undefined) return;
    const nearer = (best, frame) => (Math.abs(frame - next) < Math.abs(best - next) ? frame : best);
    frames.goTo(frames.all.reduce(nearer));
  },

  // ---- Copied: they go to other numbers, rows and shots, for as long as this window is open ----
  areCopied(row, number) { return this.copied?.text === this.json(row, number); },
  copy(row, number) {
    const text = this.json(row, number);
    this.copied = this.copied?.text === text ? null : { text, keys: this.ofPart(row, number) };
    sessionStorage.setItem(COPIED, JSON.stringify(this.copied));
    notices.remark = this.copied
      ? `${this.copied.keys.length} keys of ${number.title} copied. The clipboard beside any number takes them.`
      : "";
  },
  canPaste({ keyable }) { return Boolean(this.copied) && keyable; },
  pasteLabel({ title }) { return `Paste ${this.copied?.keys.length ?? 0} keys into ${title}`; },
  // Keys of another stretch of frames begin at the frame that is shown; values stay within the number's range.
  paste(row, number) {
    const { keys: taken } = this.copied;
    const inside = taken.some(({ frame }) => frame >= page.first && frame <= page.last);
    const shift = inside ? 0 : frames.current - taken[0].frame;
    const [low, high] = number.range;
    const limited = taken.map((key) => ({
      ...key,
      frame: key.frame + shift,
      value: Math.min(high, Math.max(low, key.value)),
    }));
    settings.change(row, this.withParts(row, number, () => ({ keys: limited })));
    const cut = limited.filter(({ value }, index) => value !== taken[index].value).length;
    notices.remark = [
      shift ? `The keys begin at ${frames.current} here.` : "",
      cut ? `${cut} of them were brought within ${low} to ${high}.` : "",
    ]
      .filter(Boolean)
      .join(" ");
  },
});
