// What the opened row shows of its kind: numbers with their steps and units, and choices of words.
export const NUMBERS = [
  { field: "amount", title: "amount", step: 0.01, digits: 2, parts: [""] },
  { field: "exposure", title: "exposure", unit: "st", step: 0.05, digits: 2, parts: [""] },
  { field: "gain", title: "gain", step: 0.01, digits: 2, parts: [""] },
  { field: "warmth", title: "warmth", step: 2, digits: 0, parts: [""] },
  { field: "tint", title: "tint", step: 0.01, digits: 2, parts: ["red", "green", "blue"] },
  { field: "offset", title: "offset", step: 0.002, digits: 3, parts: ["red", "green", "blue"] },
  { field: "saturation", title: "saturation", step: 0.01, digits: 2, parts: [""] },
  { field: "hue", title: "hue", unit: "°", step: 1, digits: 0, parts: [""] },
  { field: "contrast", title: "contrast", step: 0.01, digits: 2, parts: [""] },
  { field: "pivot", title: "pivot", step: 0.005, digits: 3, parts: [""] },
  { field: "gamma", title: "gamma", step: 0.01, digits: 2, parts: [""] },
];
// What rows of a kind have beside the numbers of all rows; of a background only what its fill takes. still: takes no keys.
const COLOUR = { step: 0.01, digits: 3, parts: ["red", "green", "blue"] };
export const OWN = {
  overlay: [
    { field: "x", title: "right", unit: "px", step: 0.25, digits: 2, parts: [""] },
    { field: "y", title: "down", unit: "px", step: 0.25, digits: 2, parts: [""] },
    { field: "scale", title: "scale", step: 0.001, digits: 3, parts: [""] },
    { field: "wipe", title: "wipe", step: 0.01, digits: 2, parts: [""] },
    { field: "wipe_angle", title: "angle", unit: "°", step: 1, digits: 0, parts: [""] },
    { field: "wipe_soft", title: "softness", step: 0.01, digits: 2, parts: [""] },
    { field: "crop", title: "crop", step: 0.005, digits: 2, parts: ["left", "top", "right", "bottom"] },
  ],
  background: [
    { field: "colour", title: "colour", fills: ["colour", "linear", "radial"], ...COLOUR },
    { field: "second", title: "second", fills: ["linear", "radial"], ...COLOUR },
    { field: "angle", title: "angle", fills: ["linear"], unit: "°", step: 1, digits: 0, parts: [""] },
    { field: "begins", title: "begins", fills: ["linear", "radial"], step: 0.01, digits: 2, parts: [""] },
    { field: "ends", title: "ends", fills: ["linear", "radial"], step: 0.01, digits: 2, parts: [""] },
    { field: "x", title: "right", fills: ["picture"], unit: "px", step: 0.25, digits: 2, parts: [""] },
    { field: "y", title: "down", fills: ["picture"], unit: "px", step: 0.25, digits: 2, parts: [""] },
    { field: "scale", title: "scale", fills: ["picture"], step: 0.001, digits: 3, parts: [""] },
    { field: "delay", title: "starts later", fills: ["picture"], unit: "frames", step: 1, digits: 0, parts: [""], still: true },
  ],
  fog: [
    { field: "colour", title: "colour", ...COLOUR },
    { field: "near", title: "near", step: 0.01, digits: 3, parts: [""] },
    { field: "far", title: "far", step: 0.01, digits: 3, parts: [""] },
    { field: "falloff", title: "falloff", step: 0.01, digits: 2, parts: [""] },
  ],
};
export const CHOICES = {
  background: [
    { field: "fill", title: "fill", words: ["colour", "linear", "radial", "picture"] },
    { field: "source", title: "picture", fills: ["picture"] },
    { field: "fit", title: "fit", fills: ["picture"], words: ["fill", "inside", "stretch", "as-is"] },
    { field: "beyond", title: "before, after", fills: ["picture"], words: ["hold", "loop", "nothing"] },
  ],
  fog: [
    { field: "through", title: "through", words: ["mist", "depth", "height"] },
    { field: "mode", title: "thins as", words: ["mix", "transmittance"] },
  ],
};

export const suits = (row, { fills }) => !fills || fills.includes(row.fill);
