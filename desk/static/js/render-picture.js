// The latest picture of a run, or the frame that was chosen on the wall, in the viewer. It reads from the station around it.
import { pageData } from "./api.js";
import { viewer } from "./viewer/index.js";

export default () => {
  const { picture: page } = pageData();

  // The task knows which frame it is.
  return viewer({ ...page, frame: 0 }, {
    frames: [],
    init() {
      this.openViewer();
      for (const name of ["pictureKey", "pass", "denoised"]) this.$watch(name, () => this.refresh());
      this.refresh();
    },
    get subject() {
      return this.pictureKey ? { kind: "run", task: this.pictureKey, key: this.pass, denoised: this.denoised } : null;
    },
    get title() { return this.pictureTitle; },
    get probeKey() { return (this.lines.find((line) => line.key === this.pass) ?? this.lines[0])?.key ?? ""; },
    get chosenPass() { return this.passes.find((pass) => pass.key === this.pass); },
    get isData() { return this.chosenPass?.data ?? false; },
    get isRange() { return this.isData && (this.way === "range" || (this.way === "auto" && this.chosenPass.way === "range")); },
    get origins() { return this.passes.length ? [{ id: "frame", text: "this frame", items: this.passes.map(({ key, title }) => ({ key, text: title })) }] : []; },
    otherSubject(_, key) { return { ...this.subject, key, denoised: false }; },
  });
};
