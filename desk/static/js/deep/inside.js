// What does not follow a drag: the section, and once the sharp picture has had the server, points and numbers.
import { post } from "../api.js";
import { reactive } from "../reactive.js";

const PICTURE_FIRST = 500; // milliseconds

/** @typedef {ReturnType<typeof createInside>} Inside */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../viewer/pictures.js").Picture} uses.picture
 * @param {import("../viewer/notices.js").Notices} uses.notices
 * @param {() => void} uses.onLook the section is to be drawn anew
 * @param {() => void} uses.onRest and the points, later
 */
export const createInside = (page, { picture, notices, onLook, onRest }) => {
  let timer = 0;

  return reactive({
    facts: page.facts,

    look() {
      onLook();
      clearTimeout(timer);
      timer = setTimeout(() => {
        onRest();
        notices.guarded(async () => (this.facts = await (await post(page.urls.facts, picture.asked())).json()));
      }, PICTURE_FIRST);
    },
    get factsText() {
      const { samples, most, mean, near, far, about } = this.facts;
      if (!samples) return "no samples in this frame";
      const count = `${about ? "about " : ""}${samples.toLocaleString("en")} samples`;
      const depth = `depth ${near.toPrecision(4)} to ${far.toPrecision(4)}`;
      return `${count}, ${mean.toFixed(2)} a pixel, at most ${most}; ${depth}`;
    },

    // One bar for each number of samples, from none to the most; as high as the root of its share, so that rare ones
    // are seen.
    get histogramPath() {
      const wide = 250 / this.facts.histogram.length;
      return this.facts.histogram
        .map(
          (share, place) =>
            `M${(place * wide).toFixed(2)} 26v${(-26 * Math.sqrt(share)).toFixed(2)}h${(wide * 0.9).toFixed(2)}V26z`,
        )
        .join("");
    },

  });
};
