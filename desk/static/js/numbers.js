// Numbers for people. Five decimals line up below each other; very small and very large ones keep their digits as
// powers.
export function number(value) {
  if (typeof value === "string") return value; // NaN and infinities arrive as words
  const size = Math.abs(value);
  return size !== 0 && (size < 1e-3 || size >= 1e4) ? value.toExponential(3) : value.toFixed(5);
}

export const power = (value) => (value === 0 ? "0" : typeof value === "string" ? value : value.toExponential(2));

export function duration(seconds) {
  if (seconds < 100) return `${seconds.toFixed(seconds < 10 ? 1 : 0)} s`;
  const minutes = seconds / 60;
  return minutes < 100 ? `${minutes.toFixed(0)} min` : `${(minutes / 60).toFixed(minutes < 6000 ? 1 : 0)} h`;
}
