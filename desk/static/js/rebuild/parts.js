// Parts of mattes: what they are called, what numbers they have, and how they read in a sentence.
import { at } from "./time.js";

const PIXELS = { unit: "px", step: 0.25, digits: 2, parts: [""] };
const MEASURED = { step: 0.01, digits: 3, parts: [""] };
const DEGREES = { unit: "°", step: 1, digits: 0, parts: [""] };
const AXES = ["x", "y", "z"];

// Of every part, after its own.
export const COMMON = [
  { field: "grow", title: "grow", ...PIXELS },
  { field: "blur", title: "blur", ...PIXELS },
  { field: "amount", title: "amount", step: 0.01, digits: 2, parts: [""] },
];
export const PART_NUMBERS = {
  colour: [
    { field: "tolerance", title: "tolerance", step: 0.005, digits: 3, parts: [""] },
    { field: "soft", title: "softness", step: 0.005, digits: 3, parts: [""] },
  ],
  range: [
    { field: "low", title: "from", ...MEASURED },
    { field: "high", title: "to", ...MEASURED },
    { field: "soft_low", title: "soft before", ...MEASURED },
    { field: "soft_high", title: "soft after", ...MEASURED },
  ],
  direction: [
    { field: "toward", title: "toward", step: 0.01, digits: 2, parts: AXES, still: true },
    { field: "angle", title: "angle", ...DEGREES },
    { field: "soft", title: "softness", ...DEGREES },
  ],
  box: [
    { field: "low", title: "from", step: 0.05, digits: 2, parts: AXES, still: true },
    { field: "high", title: "to", step: 0.05, digits: 2, parts: AXES, still: true },
    { field: "soft", title: "softness", step: 0.05, digits: 2, parts: [""] },
  ],
  strokes: [
    { field: "x", title: "right", ...PIXELS },
    { field: "y", title: "down", ...PIXELS },
  ],
  shape: [
    { field: "x", title: "right", ...PIXELS },
    { field: "y", title: "down", ...PIXELS },
    { field: "width", title: "width", forms: ["ellipse", "rectangle"], ...PIXELS },
    { field: "height", title: "height", forms: ["ellipse", "rectangle"], ...PIXELS },
    { field: "turn", title: "turn", forms: ["ellipse", "rectangle"], ...DEGREES },
    { field: "soft", title: "softness", forms: ["ellipse", "rectangle"], ...PIXELS },
  ],
};
export const PART_CHOICES = {
  range: [{ field: "measure", title: "of its", words: ["luminance", "first", "second", "third"] }],
};
export const HOWS = [
  { value: "add", text: "plus" }, { value: "subtract", text: "without" }, { value: "intersect", text: "only in" }, { value: "exclude", text: "either, not both" },
];
export const FORMS = ["ellipse", "rectangle", "polygon", "smooth", "gradient"];

export const numbersOfPart = (part) => [...(PART_NUMBERS[part.kind] ?? []).filter(({ forms }) => !forms || forms.includes(part.form)), ...COMMON];

// What may be added, of the sources that are there: { value, text, part }.
export function offered(sources, mattes, blank) {
  const of = (kind, source, more = {}) => ({ ...blank[kind], source, ...more });
  const ways = sources.flatMap((source) => {
    const { key, title, ranked, kind } = source;
    if (ranked) return key.endsWith("00") || !/\d\d$/.test(key) ? [{ text: title.replace(/ 00$/, ""), part: of("names", key) }] : [];
    if (kind.startsWith("id_")) return [{ text: title, part: of("colour", key) }];
    if (kind.startsWith("normals")) return [{ text: `direction by ${title}`, part: of("direction", key) }];
    if (kind === "position") return [{ text: "box in space", part: of("box", key) }, { text: "height by position", part: of("range", key, { measure: "second" }) }];
    if (source.data) return [{ text: `range of ${title}`, part: of("range", key) }];
    if (source.single) return [{ text: `${title} as a matte`, part: of("alpha", key) }, { text: `range of ${title}`, part: of("range", key) }];
    const alpha = source.alpha ? [{ text: `alpha of ${title}`, part: of("alpha", key) }] : [];
    return [...alpha, { text: `luminance of ${title}`, part: of("range", key, { measure: "luminance" }) }];
  });
  const others = mattes.map(({ id }) => ({ text: `matte ${id}`, part: { ...blank.matte, of: id } }));
  const drawn = [{ text: "strokes", part: blank.strokes }, ...FORMS.map((form) => ({ text: form, part: { ...blank.shape, form, corners: [] } }))];
  const rank = ({ part }) => ["names", "colour", "strokes", "shape", "matte", "direction", "box"].indexOf(part.kind) + 1 || 8;
  return [...ways, ...others, ...drawn].sort((a, b) => rank(a) - rank(b)).map((way, index) => ({ ...way, value: String(index) }));
}

// A part in words: what it takes, and what is done with that.
export function phrase(part, titleOf, frame) {
  const done = [];
  const grow = at(part.grow, frame);
  const blur = at(part.blur, frame);
  const amount = at(part.amount, frame);
  if (grow) done.push(`${round(Math.abs(grow))} px ${grow > 0 ? "larger" : "smaller"}`);
  if (blur) done.push(`${round(blur)} px softer`);
  if (part.curve.points.length) done.push("curved");
  if (amount !== 1) done.push(`at ${Math.round(amount * 100)} %`);
  return [`${part.inverted ? "all but " : ""}${taken(part, titleOf, frame)}`, ...done].join(", ");
}

function taken(part, titleOf, frame) {
  const title = part.source ? titleOf(part.source) : "";
  const from = (field) => round(at(part[field], frame));
  switch (part.kind) {
    case "names": return listed([...part.names.map(({ id, name }) => name || id), ...part.patterns]) || "no name yet";
    case "alpha": return `alpha of ${title}`;
    case "matte": return `“${part.of}”`;
    case "colour": return `the colour ${part.colour.map(round).join(" ")}${part.touching ? " where it touches" : ""}`;
    case "range": return `${part.measure === "luminance" ? "luminance of " : ""}${title} ${spanned(from("low"), from("high"))}`;
    case "direction": return `what faces ${part.toward.map(round).join(" ")}`;
    case "box": return "a box in space";
    case "strokes": return part.strokes.length === 1 ? "a stroke" : `${part.strokes.length} strokes`;
    default: return part.form === "smooth" ? "a smooth curve" : `${part.form === "ellipse" ? "an" : "a"} ${part.form}`;
  }
}

const ENDLESS = 1e8;
function spanned(low, high) {
  if (low <= -ENDLESS) return high >= ENDLESS ? "wherever it is" : `below ${high}`;
  return high >= ENDLESS ? `above ${low}` : `from ${low} to ${high}`;
}
const round = (value) => Number(value.toPrecision(3));
const MOST_NAMES = 3;
const listed = (names) => (names.length > MOST_NAMES + 1 ? `${names.slice(0, MOST_NAMES).join(", ")} and ${names.length - MOST_NAMES} more` : names.join(names.length === 2 ? " and " : ", "));

export function sentence(matte, titleOf, frame) {
  const words = Object.fromEntries(HOWS.map(({ value, text }) => [value, text]));
  const parts = (matte.parts ?? []).map((part, index) => `${index ? `${words[part.how]} ` : ""}${phrase(part, titleOf, frame)}`);
  if (matte.kind === "alpha") return `alpha of ${titleOf(matte.source)}`;
  if (matte.kind === "inverted") return `all but “${matte.of}”`;
  return parts.join("; ") || "nothing yet";
}
