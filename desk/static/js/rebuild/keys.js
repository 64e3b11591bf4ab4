// Numbers of the opened row over time: keys set, eased, drawn as a curve, copied and pasted.
import { at, eased, isKeyed, keyAt, toggled } from "./time.js";

const COPIED = "eager:keys"; // where copied keys lie, for other rows and other shots

export const keys = (page) => ({
  eases: ["linear", "smooth", "hold"],
  keyPart: 0,
  shotEnds: { first: page.first, last: page.last },
  copied: JSON.parse(sessionStorage.getItem(COPIED) ?? "null"),

  partsOf(row, { field }) { return Array.isArray(row[field]) ? row[field] : [row[field]]; },
  isKeyedNumber(row, number) { return this.partsOf(row, number).some(isKeyed); },
  hasKey(row, number) { return this.partsOf(row, number).some((part) => keyAt(part, this.frame)); },
  keyIcon(row, number) { return this.hasKey(row, number) ? "bi-diamond-fill" : this.isKeyedNumber(row, number) ? "bi-diamond-half" : "bi-diamond"; },
  keyLabel(row, number) { return `${this.hasKey(row, number) ? "Take the key away from" : "Key"} ${number.title} at frame ${this.frame}`; },
  withParts(row, { field }, change) { return { [field]: Array.isArray(row[field]) ? row[field].map(change) : change(row[field], 0) }; },
  toggleKey(row, number) {
    const has = this.hasKey(row, number);
    this.change(row, this.withParts(row, number, (old) => (has === Boolean(keyAt(old, this.frame)) ? toggled(old, this.frame) : old)));
  },
  easeOf(row, number) { return this.partsOf(row, number).map((part) => keyAt(part, this.frame)).find(Boolean)?.ease ?? "linear"; },
  setEase(row, number, ease) {
    this.change(row, this.withParts(row, number, (old) => (keyAt(old, this.frame) ? eased(old, this.frame, ease) : old)));
  },
  dropKeys(row, number) { this.change(row, this.withParts(row, number, (old) => at(old, this.frame))); },

  // ---- Drawn, one part at a time ----
  shownPart(row, number) {
    const parts = this.partsOf(row, number);
    return isKeyed(parts[this.keyPart]) ? this.keyPart : parts.findIndex(isKeyed);
  },
  keyedParts(row, number) {
    const parts = this.partsOf(row, number);
    const shown = this.shownPart(row, number);
    return parts.length < 2 ? [] : number.parts.map((name, index) => ({ name, index, shown: index === shown })).filter(({ index }) => isKeyed(parts[index]));
  },
  keysOfPart(row, number) { return this.partsOf(row, number)[this.shownPart(row, number)]?.keys ?? []; },
  keysJson(row, number) { return JSON.stringify(this.keysOfPart(row, number)); },
  keysLabel({ title }) { return `Keys of ${title}; double click adds one`; },
  withKeys(row, number, keyed) {
    const shown = this.shownPart(row, number);
    return this.withParts(row, number, (old, index) => (index === shown ? { keys: keyed } : old));
  },
  slideKeys(row, number, keyed) { this.slide(row, this.withKeys(row, number, keyed)); },
  setKeys(row, number, keyed) { this.change(row, this.withKeys(row, number, keyed)); },
  goToKey(row, number, way) {
    const frames = this.keysOfPart(row, number).map(({ frame }) => frame);
    const next = way < 0 ? frames.findLast((frame) => frame < this.frame) : frames.find((frame) => frame > this.frame);
    if (next !== undefined) this.goTo(this.frames.reduce((best, frame) => (Math.abs(frame - next) < Math.abs(best - next) ? frame : best)));
  },

  // ---- Copied: they go to other numbers, rows and shots, for as long as this window is open ----
  areCopied(row, number) { return this.copied?.text === this.keysJson(row, number); },
  copyKeys(row, number) {
    const text = this.keysJson(row, number);
    this.copied = this.copied?.text === text ? null : { text, keys: this.keysOfPart(row, number) };
    sessionStorage.setItem(COPIED, JSON.stringify(this.copied));
    this.remark = this.copied ? `${this.copied.keys.length} keys of ${number.title} copied. The clipboard beside any number takes them.` : "";
  },
  canPasteKeys({ keyable }) { return Boolean(this.copied) && keyable; },
  pasteLabel({ title }) { return `Paste ${this.copied?.keys.length ?? 0} keys into ${title}`; },
  // Keys of another stretch of frames begin at the frame that is shown; values stay within the number's range.
  pasteKeys(row, number) {
    const { keys: taken } = this.copied;
    const inside = taken.some(({ frame }) => frame >= page.first && frame <= page.last);
    const shift = inside ? 0 : this.frame - taken[0].frame;
    const [low, high] = number.range;
    const limited = taken.map((key) => ({ ...key, frame: key.frame + shift, value: Math.min(high, Math.max(low, key.value)) }));
    this.change(row, this.withParts(row, number, () => ({ keys: limited })));
    const cut = limited.filter(({ value }, index) => value !== taken[index].value).length;
    this.remark = [shift ? `The keys begin at ${this.frame} here.` : "", cut ? `${cut} of them were brought within ${low} to ${high}.` : ""].filter(Boolean).join(" ");
  },
});
