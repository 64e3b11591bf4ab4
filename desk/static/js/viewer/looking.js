// How the picture is looked at: exposure, gamma, view, channel, ground, remaps of data, marks.
export const looking = ({ page }) => ({
  views: page.views,
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

  get looks() {
    const end = (text) => (text === "" ? null : Number(text));
    return {
      view: this.viewName, stops: this.stops, gamma: this.gamma, channel: this.channel, ground: this.groundShown, marks: this.marks,
      remap: { way: this.way, near: end(this.near), far: end(this.far), log: this.log },
    };
  },
  look(setting, value, sliding = false) {
    this[{ view: "viewName" }[setting] ?? setting] = value;
    if (sliding) this.askSliding();
    else {
      this.askPicture({});
      this.askProbe();
    }
  },
  asSuits() {
    this.way = "auto";
    this.near = this.far = "";
  },
  get nearShown() { return this.near === "" ? this.ends[0] : this.near; },
  get farShown() { return this.far === "" ? this.ends[1] : this.far; },
  get rangeStep() { return Math.max(1e-4, (this.ends[1] - this.ends[0]) / 200); },
  wholeRange() {
    this.near = this.far = "";
    this.askPicture({});
  },
  toggleMark(mark) {
    this.marks = this.marks.includes(mark) ? this.marks.filter((other) => other !== mark) : [...this.marks, mark];
    this.askPicture({});
  },
  hasMark(mark) { return this.marks.includes(mark); },
});
