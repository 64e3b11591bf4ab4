// Parts of mattes: what they are called, what numbers they have, and how they read in a sentence.
import { at } from "./time.js";

const RANKS = ["names", "colour", "strokes", "shape", "matte", "direction", "box"]; // what is asked for most, first

export const HOWS = [
  { value: "add", text: "plus" },
  { value: "subtract", text: "without" },
  { value: "intersect", text: "only in" },
  { value: "exclude", text: "either, not both" },
];

// What may be added: parts that the sources make, mattes that stand before, and what is drawn: { value, text, part }.
export function offered(sources, mattes, { kinds, drawn }) {
  const ways = [
    ...sources.flatMap(({ key, title, offers }) =>
      offers.map((offer) => ({
        ...offer,
        text: offer.text.replace("{}", title.replace(/ 00$/, "")),
        part: { ...offer.part, source: key },
      })),
    ),
    ...mattes.map(({ id }) => ({ text: `matte ${id}`, kind: "matte", part: { of: id } })),
    ...drawn,
  ];
  const rank = ({ kind }) => RANKS.indexOf(kind) + 1 || RANKS.length + 1;
  return ways
    .sort((a, b) => rank(a) - rank(b))
    .map(({ text, kind, part }, index) => ({
      text,
      part: { ...kinds.parts[kind].blank, ...part },
      value: String(index),
    }));
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
    case "names":
      return listed([...part.names.map(({ id, name }) => name || id), ...part.patterns]) || "no name yet";
    case "alpha":
      return `alpha of ${title}`;
    case "matte":
      return `“${part.of}”`;
    case "colour":
      return `the colour ${part.colour.map(round).join(" ")}${part.touching ? " where it touches" : ""}`;
    case "range":
      return `${part.measure === "luminance" ? "luminance of " : ""}${title} ${spanned(from("low"), from("high"))}`;
    case "direction":
      return `what faces ${part.toward.map(round).join(" ")}`;
    case "box":
      return "a box in space";
    case "strokes":
      return part.strokes.length === 1 ? "a stroke" : `${part.strokes.length} strokes`;
    default:
      return part.form === "smooth" ? "a smooth curve" : `${part.form === "ellipse" ? "an" : "a"} ${part.form}`;
  }
}

const ENDLESS = 1e8;
function spanned(low, high) {
  if (low <= -ENDLESS) return high >= ENDLESS ? "wherever it is" : `below ${high}`;
  return high >= ENDLESS ? `above ${low}` : `from ${low} to ${high}`;
}
const round = (value) => Number(value.toPrecision(3));
const MOST_NAMES = 3;
const listed = (names) =>
  names.length > MOST_NAMES + 1
    ? `${names.slice(0, MOST_NAMES).join(", ")} and ${names.length - MOST_NAMES} more`
    : names.join(names.length === 2 ? " and " : ", ");

export function sentence(matte, titleOf, frame) {
  const words = Object.fromEntries(HOWS.map(({ value, text }) => [value, text]));
  const parts = (matte.parts ?? []).map(
    (part, index) => `${index ? `${words[part.how]} ` : ""}${phrase(part, titleOf, frame)}`,
  );
  if (matte.kind === "alpha") return `alpha of ${titleOf(matte.source)}`;
  if (matte.kind === "inverted") return `all but “${matte.of}”`;
  return parts.join("; ") || "nothing yet";
}
