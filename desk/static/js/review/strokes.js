// What is drawn on a frame: lines and a ring around the place, in shares of the picture.
const SVG = "http://www.w3.org/2000/svg";
const SIZE = 1000;

export function stroke(svg, { x, y, strokes }, state) {
  const box = svg.getBoundingClientRect();
  if (!box.width) return; // not shown
  const group = document.createElementNS(SVG, "g");
  group.setAttribute("class", state);
  const ring = document.createElementNS(SVG, "ellipse");
  const radius = 11;
  for (const [name, value] of Object.entries({
    cx: x * SIZE,
    cy: y * SIZE,
    rx: (radius / box.width) * SIZE,
    ry: (radius / box.height) * SIZE,
  }))
    ring.setAttribute(name, String(value));
  if (!strokes.length) group.append(ring);
  for (const line of strokes) {
    const path = document.createElementNS(SVG, "polyline");
    path.setAttribute("points", line.map(([a, b]) => `${a * SIZE},${b * SIZE}`).join(" "));
    group.append(path);
  }
  svg.append(group);
}
