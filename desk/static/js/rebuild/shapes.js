// Shapes of mattes in pixels of the picture: where their handles lie, and what moving one changes.
import { at, changedTo, isKeyed, toggled } from "./time.js";

export const short = (value) => Number(value.toFixed(2));
export const corner = ({ x, y }) => ({ x: short(x), y: short(y), soft: 0 });
export const placed = ({ x, y }, part, frame) => ({
  x: at(x, frame) + at(part.x, frame),
  y: at(y, frame) + at(part.y, frame),
});

export function distance(stage, a, b) {
  const [from, to] = [stage.onScreen(a), stage.onScreen(b)];
  return Math.hypot(to[0] - from[0], to[1] - from[1]);
}

// Corners; of ellipses and rectangles the middle, and the ends of their half sides.
export function handlesOf(part, frame) {
  if (part?.kind !== "shape") return [];
  if (part.corners.length) return part.corners.map((place) => placed(place, part, frame));
  const [x, y, wide, high, turn] = ["x", "y", "width", "height", "turn"].map((field) => at(part[field], frame));
  const [u, v] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
  return [{ x, y }, { x: x + (u * wide) / 2, y: y + (v * wide) / 2 }, { x: x - (v * high) / 2, y: y + (u * high) / 2 }];
}

export function movedHandle(part, index, place, frame) {
  const set = (old, value) => changedTo(old, frame, short(value));
  const [x, y] = [at(part.x, frame), at(part.y, frame)];
  if (part.corners.length) {
    const old = part.corners[index];
    return { corners: part.corners.with(index, { ...old, x: set(old.x, place.x - x), y: set(old.y, place.y - y) }) };
  }
  if (index === 0) return { x: set(part.x, place.x), y: set(part.y, place.y) };
  const field = index === 1 ? "width" : "height";
  return { [field]: set(part[field], 2 * Math.hypot(place.x - x, place.y - y)) };
}

// With a key for every number at the frame, as they are there.
export function keyedShape(part, frame) {
  const key = (number) => (isKeyed(number) ? changedTo(number, frame, at(number, frame)) : toggled(number, frame));
  const numbers = ["x", "y", "width", "height", "turn", "soft"].map((field) => [field, key(part[field])]);
  return {
    ...Object.fromEntries(numbers),
    corners: part.corners.map(({ x, y, soft }) => ({ x: key(x), y: key(y), soft: key(soft) })),
  };
}

// A grip on the picture, at a place on the screen.
export function drawHandle(pen, [left, top]) {
  Object.assign(pen, { fillStyle: "#fff", strokeStyle: "#000", lineWidth: 1 });
  pen.beginPath();
  pen.arc(left, top, 4.5, 0, 2 * Math.PI);
  pen.fill();
  pen.stroke();
}
