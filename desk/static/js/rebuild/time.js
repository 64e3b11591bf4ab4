// Numbers that change over time: keys set and taken away.
import { at, isKeyed } from "../formulas.js";

export { at, isKeyed };

export const keyAt = (number, frame) => (isKeyed(number) ? number.keys.find((key) => key.frame === frame) : undefined);

// A plain number becomes the new one; a keyed number gets a key at the frame, or the one there changes.
export function changedTo(number, frame, value) {
  if (!isKeyed(number)) return value;
  const ease = keyAt(number, frame)?.ease ?? number.keys.findLast((key) => key.frame < frame)?.ease ?? "linear";
  return withKey(number, { frame, value, ease });
}

const withKey = (number, key) => ({
  keys: [...number.keys.filter((other) => other.frame !== key.frame), key].sort((a, b) => a.frame - b.frame),
});

// A key at the frame that holds what is there now, or taken away again; without its last key a number is plain.
export function toggled(number, frame) {
  if (!isKeyed(number)) return { keys: [{ frame, value: number, ease: "linear" }] };
  if (!keyAt(number, frame)) return changedTo(number, frame, at(number, frame));
  const keys = number.keys.filter((key) => key.frame !== frame);
  return keys.length ? { keys } : at(number, frame);
}

export const eased = (number, frame, ease) => withKey(number, { ...keyAt(number, frame), ease });

// Frames at which any of the row's own numbers has a key.
export function keysOf(row) {
  const numbers = Object.values(row).flatMap((field) => (Array.isArray(field) ? field : [field]));
  const frames = numbers
    .filter((number) => Array.isArray(number?.keys))
    .flatMap(({ keys }) => keys.map((key) => key.frame));
  return [...new Set(frames)].sort((a, b) => a - b);
}
