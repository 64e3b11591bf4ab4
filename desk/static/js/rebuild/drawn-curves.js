// One of the curves of whatever is edited, to be drawn. own: those of it, by name. changes: what puts one in its place.
export const drawnCurves = (own, changes) => ({
  curveName: "all",
  curvePoints(target) { return JSON.stringify(own(target)[this.curveName]?.points ?? []); },
  slideCurve(target, points) { this.slide(target, changes(target, { [this.curveName]: { points } })); },
  setCurve(target, points) { this.change(target, changes(target, { [this.curveName]: { points } })); },
  hasCurve(target, name) { return own(target)[name]?.points.length > 0; },
  curveTitle(target, name) { return this.hasCurve(target, name) ? `${name} ●` : name; },
});
