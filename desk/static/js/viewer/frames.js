// Which frame is shown, out of which; the ribbon that shows and chooses it.
import { byRef, reactive } from "../reactive.js";
import { Ribbon } from "./ribbon.js";

/** @typedef {ReturnType<typeof createFrames>} Frames */

/**
 * @param {any} page
 * @param {object} uses
 * @param {() => number[]} uses.all the frames that there are, in order
 * @param {() => object} uses.marks what the ribbon marks besides: { keys, sound, broken }
 * @param {() => void} uses.onChange another frame is shown
 */
export const createFrames = (page, { all, marks, onChange }) => {
  const canvas = byRef("ribbon");

  const frames = reactive({
    current: page.frame,

    get all() { return all(); },
    /** @param {object} [more] */
    showRibbon(more = {}) {
      ribbon?.show({
        frames: this.all,
        first: page.first,
        last: page.last,
        current: this.current,
        ...marks(),
        ...more,
      });
    },
    goTo(frame) {
      this.current = frame;
      this.showRibbon();
      onChange();
    },
    step(by) {
      const at = this.all.indexOf(this.current) + by;
      if (at >= 0 && at < this.all.length) this.goTo(this.all[at]);
    },
  });
  const ribbon = canvas && new Ribbon(canvas, { onChoose: (frame) => frames.goTo(frame) });
  return frames;
};
