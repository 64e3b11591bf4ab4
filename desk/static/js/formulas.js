// What has to be drawn at once, while something is dragged, by formulas of docs/ledger-format.md. All else is computed
// by the server, and a test holds these to what that computes.
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

const KOSCHMIEDER = Math.log(50); // 2 % of the light is left at the end

// How much fog lies before what measures v, 0..1.
export function haze(v, { near, far, falloff = 1, air = false }) {
  const t = (v - near) / (far - near || 1e-9);
  if (!(t > 0)) return 0;
  return air ? 1 - Math.exp(-KOSCHMIEDER * t ** falloff) : Math.min(1, t) ** falloff;
}

const NEUTRAL_KELVIN = 6504;

// The temperature of light that many mired warmer than neutral.
export const kelvinOf = (warmth) => 1e6 / (1e6 / NEUTRAL_KELVIN + warmth);

// A monotone curve through points: a function of x.
export function spline(points) {
  const widths = points.slice(1).map(([x], i) => x - points[i][0]);
  const rises = points.slice(1).map(([, y], i) => (y - points[i][1]) / widths[i]);
  const slopes = points.map((_, i) => slopeAt(widths, rises, i));
  return (x) => {
    const last = points.length - 1;
    if (x <= points[0][0]) return points[0][1] + slopes[0] * (x - points[0][0]);
    if (x >= points[last][0]) return points[last][1] + slopes[last] * (x - points[last][0]);
    const i = points.findLastIndex((point) => point[0] <= x);
    const [h, t] = [widths[i], (x - points[i][0]) / widths[i]];
    const rest = 1 - t;
    return (
      points[i][1] * rest * rest * (1 + 2 * t) +
      points[i + 1][1] * t * t * (3 - 2 * t) +
      h * t * rest * (slopes[i] * rest - slopes[i + 1] * t)
    );
  };
}

function slopeAt(h, d, i) {
  if (d.length === 1) return d[0];
  if (i === 0) return endSlope(h[0], h[1], d[0], d[1]);
  if (i === d.length) return endSlope(h.at(-1), h.at(-2), d.at(-1), d.at(-2));
  const [before, after] = [d[i - 1], d[i]];
  if (before * after <= 0) return 0;
  return (3 * (h[i - 1] + h[i])) / ((2 * h[i] + h[i - 1]) / before + (h[i] + 2 * h[i - 1]) / after);
}

function endSlope(h0, h1, near, far) {
  const slope = ((2 * h0 + h1) * near - h0 * far) / (h0 + h1);
  if (slope * near <= 0) return 0;
  return near * far <= 0 && Math.abs(slope) > 3 * Math.abs(near) ? 3 * near : slope;
}
