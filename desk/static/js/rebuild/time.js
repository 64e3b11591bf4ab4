// Numbers that change over time: what they are at a frame, and keys set and taken away. As docs/ledger-format.md says.
export const isKeyed = (number) => typeof number === "object";

export function at(number, frame) {
  if (!isKeyed(number)) return number;
  const { keys } = number;
  const next = keys.findIndex((key) => key.frame > frame);
  if (next === 0) return keys[0].value;
  if (next < 0) return keys.at(-1).value;
  const [from, to] = [keys[next - 1], keys[next]];
  const t = (frame - from.frame) / (to.frame - from.frame);
  const part = { linear: t, smooth: t * t * (3 - 2 * t), hold: 0 }[from.ease];
  return from.value * (1 - part) + to.value * part;
}

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
  const frames = numbers.filter((number) => Array.isArray(number?.keys)).flatMap(({ keys }) => keys.map((key) => key.frame));
  return [...new Set(frames)].sort((a, b) => a - b);
}
