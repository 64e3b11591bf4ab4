// The curves of whatever is edited, drawn one at a time.
import { reactive } from "../reactive.js";

/**
 * @param {object} uses
 * @param {import("./settings.js").Settings} uses.settings
 * @param {() => string[]} uses.names of the curves that there are
 * @param {(target: any) => any} uses.own those of a target, by name
 * @param {(target: any, curves: any) => any} uses.changes what puts one in its place
 * @param {(target: any, name: string) => any} [uses.bins] the histogram behind a curve
 */
export const createCurves = ({ settings, names, own, changes, bins = () => null }) => reactive({
  name: "all",

  get names() { return names(); },
  points(target) { return JSON.stringify(own(target)[this.name]?.points ?? []); },
  slide(target, points) { settings.slide(target, changes(target, { [this.name]: { points } })); },
  set(target, points) { settings.change(target, changes(target, { [this.name]: { points } })); },
  has(target, name) { return own(target)[name]?.points.length > 0; },
  title(target, name) { return this.has(target, name) ? `${name} ●` : name; },
  bins(target) { return JSON.stringify(bins(target, this.name)); },
});
