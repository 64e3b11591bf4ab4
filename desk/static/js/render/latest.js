// The latest picture of a run, or the frame that was chosen on the wall, as it is looked at in the viewer.
import { reactive } from "../reactive.js";

/** @param {() => void} onChange another picture is wanted */
export const createLatest = (onChange) => reactive({
  task: 0, // that made it; 0 if there is none
  title: "",
  pass: "beauty",
  denoised: false,
  passes: [], // that can be chosen; known once its frame was looked at

  get chosen() { return this.passes.find(({ key }) => key === this.pass); },
  get hasDenoised() { return Boolean(this.chosen?.denoised); },
  // The beauty, as clean as there is one.
  show({ key, title, denoised }) {
    if (key === this.task) return;
    Object.assign(this, { task: key, title, pass: "beauty", denoised, passes: [] });
    onChange();
  },
  // With what else its frame has.
  look(task, { title, passes }) {
    this.passes = passes;
    if (!this.chosen) this.pass = passes[0]?.key ?? "beauty";
    if (!this.hasDenoised) this.denoised = false;
    if (passes.length) Object.assign(this, { task, title });
    onChange();
  },
  forget() { Object.assign(this, { task: 0, title: "", passes: [] }); },
  choosePass({ target: { value } }) {
    this.pass = value;
    if (!this.hasDenoised) this.denoised = false;
    onChange();
  },
  isPass(pass) { return pass.key === this.pass; },
  setDenoised(denoised) {
    this.denoised = denoised;
    onChange();
  },
});
