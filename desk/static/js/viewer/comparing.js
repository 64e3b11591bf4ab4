// The picture compared with another: wipe at any angle, difference with gain, flicker, side by side.
import { reactive } from "../reactive.js";

const FLICKER = 350; // milliseconds
const COMPARISONS = ["", "wipe", "difference", "flicker", "beside"];

/** @typedef {ReturnType<typeof createComparing>} Comparing */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./stage.js").Stage} uses.stage
 * @param {import("./frames.js").Frames} uses.frames
 * @param {() => any[]} uses.origins what there is to choose from: { id, text, items: { key, text }[] }
 * @param {(origin: any, key: string) => any} uses.otherSubject what a choice stands for, as the server knows it
 * @param {(sliding?: boolean) => void} uses.onChange another picture is wanted
 */
export const createComparing = (page, { stage, frames, origins, otherSubject, onChange }) => {
  let flickerTimer = 0;

  return reactive({
    mode: "",
    open: false, // the choice of the other picture is open
    other: { origin: "", key: "", frame: page.frame },
    follows: true, // the other picture steps along with the frame
    angle: 0,
    gain: 1,

    get origins() { return origins(); },
    get origin() { return this.origins.find((origin) => origin.id === this.other.origin) ?? this.origins[0]; },
    get items() { return this.origin?.items ?? []; },
    get key() { return this.items.find((item) => item.key === this.other.key)?.key ?? this.items[0]?.key ?? ""; },
    get title() {
      const item = this.items.find(({ key }) => key === this.key);
      const from = this.origin?.id === this.origins[0]?.id ? "" : `, ${this.origin.text}`;
      return item ? `${item.text}${from}${this.follows ? "" : `, frame ${this.other.frame}`}` : "";
    },
    get pointed() {
      return {
        subject: this.origin ? otherSubject(this.origin, this.key) : null,
        frame: this.follows ? frames.current : this.other.frame,
      };
    },
    get showsOther() { return ["wipe", "flicker", "beside"].includes(this.mode); },
    toggle() {
      this.open = !this.open;
      if (!this.open && this.mode) this.compare(this.mode);
    },
    compare(way) {
      this.mode = this.mode === way ? "" : way;
      this.open ||= this.mode !== "";
      clearInterval(flickerTimer);
      stage.set({ wipe: this.mode === "wipe" ? 0.5 : null, beside: this.mode === "beside", swapped: false });
      if (this.mode === "flicker") flickerTimer = setInterval(() => stage.set({ swapped: !stage.swapped }), FLICKER);
      onChange();
    },
    is(way) { return this.mode === way; },
    next() {
      const next = COMPARISONS[(COMPARISONS.indexOf(this.mode) + 1) % COMPARISONS.length];
      this.compare(next || this.mode);
    },
    setOther(changes) {
      this.other = { ...this.other, ...changes };
      if (this.mode) onChange();
    },
    setFollows(follows) {
      this.follows = follows;
      this.other.frame = frames.current;
      if (this.mode) onChange();
    },
    setAngle(value) {
      this.angle = value;
      stage.set({ angle: value });
    },
    setGain(value, sliding = false) {
      this.gain = value;
      onChange(sliding);
    },
  });
};
