// How the picture is looked at: exposure, gamma, view, channel, ground, remaps of data, marks.
import { reactive } from "../reactive.js";

const KEPT = "eager-looks-open"; // in this browser: whether the row of settings is open
const CHANNELS = [
  { key: "rgb", title: "colour" }, { key: "r", title: "first: red, X" }, { key: "g", title: "second: green, Y" },
  { key: "b", title: "third: blue, Z" }, { key: "a", title: "alpha" }, { key: "luminance", title: "luminance" },
];
const GROUNDS = [
  { key: "black", title: "on black" }, { key: "checker", title: "on checker" }, { key: "grey", title: "on grey" },
];
const WAYS = [
  { key: "auto", title: "shown automatically" }, { key: "plain", title: "as it is" },
  { key: "signed", title: "signed, grey is 0" }, { key: "range", title: "range, near is white" },
  { key: "motion", title: "motion as colour" }, { key: "arrows", title: "motion as arrows" },
  { key: "hashed", title: "names as colours" },
];

const titleIn = (options, key) => options.find((option) => option.key === key)?.title ?? key;

/** @typedef {ReturnType<typeof createLooks>} Looks */

/**
 * @param {any} page
 * @param {object} uses
 * @param {() => { way: string } | null} uses.data how what is shown is mapped to a picture, if it is data and no light
 * @param {() => string} uses.ground under transparency, if the page says so; else empty
 * @param {(sliding?: boolean) => void} uses.onChange another picture is wanted
 */
export const createLooks = (page, { data, ground, onChange }) => reactive({
  views: page.views,
  channels: CHANNELS,
  grounds: GROUNDS,
  ways: WAYS,
  open: localStorage.getItem(KEPT) === "yes",
  stops: 0,
  gamma: 1,
  viewName: page.views.at(-1).key,
  channel: "rgb",
  ground: "black",
  way: "auto",
  near: "",
  far: "",
  log: false,
  marks: [],
  ends: [0, 1], // nearest and farthest surface of what was shown last

  get asked() {
    const end = (text) => (text === "" ? null : Number(text));
    return {
      view: this.viewName,
      stops: this.stops,
      gamma: this.gamma,
      channel: this.channel,
      ground: ground() || this.ground,
      marks: this.marks,
      remap: { way: this.way, near: end(this.near), far: end(this.far), log: this.log },
    };
  },
  set(setting, value, sliding = false) {
    this[{ view: "viewName" }[setting] ?? setting] = value;
    onChange(sliding);
  },
  toggle() {
    this.open = !this.open;
    localStorage.setItem(KEPT, this.open ? "yes" : "no");
  },
  // What stands on the button that opens the settings: all that differs from how a picture is opened, as that must not
  // be cut off, and the view.
  get summary() {
    const mapped = this.isData ? titleIn(WAYS, this.way) : titleIn(this.views, this.viewName);
    const changed = [
      this.channel !== "rgb" && titleIn(CHANNELS, this.channel),
      this.gamma !== 1 && `gamma ${this.gamma.toFixed(2)}`,
      !this.isData && this.ground !== "black" && titleIn(GROUNDS, this.ground),
      this.marks.length > 0 && `marks ${this.marks.map((mark) => (mark === "nan" ? "NaN" : mark)).join(", ")}`,
    ];
    return [...changed, mapped].filter(Boolean).join(" · ");
  },
  get title() { return `${this.summary}: view, gamma, channel, transparency, marks (V)`; },
  asSuits() {
    this.way = "auto";
    this.near = this.far = "";
  },
  get isData() { return data() !== null; },
  get isRange() { return this.isData && (this.way === "range" || (this.way === "auto" && data()?.way === "range")); },
  get nearShown() { return this.near === "" ? this.ends[0] : this.near; },
  get farShown() { return this.far === "" ? this.ends[1] : this.far; },
  get rangeStep() { return Math.max(1e-4, (this.ends[1] - this.ends[0]) / 200); },
  wholeRange() {
    this.near = this.far = "";
    onChange();
  },
  toggleMark(mark) {
    this.marks = this.marks.includes(mark) ? this.marks.filter((other) => other !== mark) : [...this.marks, mark];
    onChange();
  },
  hasMark(mark) { return this.marks.includes(mark); },
});
