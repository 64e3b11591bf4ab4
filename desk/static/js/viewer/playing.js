// Frames played at small size; the pictures are asked for ahead and kept.
import { ofFault } from "../api.js";
import { reactive } from "../reactive.js";
import { AHEAD, MOST_KEPT, PLAY_WIDTH, Reel } from "./reel.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./frames.js").Frames} uses.frames
 * @param {import("./pictures.js").Picture} uses.picture
 * @param {import("./notices.js").Notices} uses.notices
 */
export const createPlayer = (page, { frames, picture, notices }) => {
  let playable = null; // what is asked of every frame while it plays
  const reel = new Reel({
    most: MOST_KEPT,
    fetch: (frame) =>
      picture.bitmapOf({ ...playable, frame, encoding: "jpeg", width: PLAY_WIDTH, serial: 0, viewer: "" }),
    onKept: () => frames.showRibbon({ kept: reel.frames }),
  });

  return reactive({
    playing: false,
    keptCount: 0, // frames that play without being computed

    get icon() { return this.playing ? "bi-stop-fill" : "bi-play-fill"; },
    get canPlay() { return frames.all.length > 1; },
    get rateText() { return this.playing ? `${this.keptCount} of ${frames.all.length} kept` : `${page.rate} fps`; },
    async toggle() {
      this.playing = !this.playing && this.canPlay;
      if (!this.playing) return;
      playable = JSON.parse(JSON.stringify({ ...picture.asked(), frame: 0 }));
      const named = JSON.stringify(playable);
      while (this.playing) {
        const begun = performance.now();
        const at = frames.all.indexOf(frames.current);
        const ahead = Array.from({ length: AHEAD + 1 }, (_, step) => frames.all[(at + 1 + step) % frames.all.length]);
        frames.current = ahead[0];
        try {
          picture.put(await createImageBitmap(await reel.picture(ahead[0], named, ahead.slice(1))));
          this.keptCount = reel.frames.size;
          notices.fault = null;
        } catch (error) {
          notices.fault = ofFault(error);
          this.playing = false;
        }
        frames.showRibbon();
        await new Promise((resolve) =>
          setTimeout(resolve, Math.max(0, 1000 / page.rate - (performance.now() - begun))),
        );
      }
      frames.goTo(frames.current);
    },
  });
};
