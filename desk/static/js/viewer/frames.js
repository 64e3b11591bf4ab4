// The frames of what is shown: the ribbon, stepping, and play at small size.
import { ofFault } from "../api.js";
import { AHEAD, MOST_KEPT, PLAY_WIDTH, Reel } from "./reel.js";
import { Ribbon } from "./ribbon.js";

export const frames = (shared) => {
  const { page } = shared;
  let playable = null; // what is asked of every frame while it plays

  return {
    frame: page.frame,
    playing: false,
    keptCount: 0, // frames that play without being computed

    openFrames() {
      if (!this.$refs.ribbon) return;
      shared.ribbon = new Ribbon(this.$refs.ribbon, { onChoose: (frame) => this.goTo(frame) });
      shared.reel = new Reel({
        most: MOST_KEPT,
        fetch: (frame) => this.bitmap({ ...playable, frame, encoding: "jpeg", width: PLAY_WIDTH, serial: 0, viewer: "" }),
        onKept: () => shared.ribbon.show({ kept: shared.reel.frames }),
      });
      this.showRibbon();
    },
    showRibbon() {
      shared.ribbon?.show({ frames: this.frames, first: page.first, last: page.last, current: this.frame, kept: shared.reel.frames, keys: this.ribbonKeys, ...this.ribbonVerdicts });
    },
    goTo(frame) {
      this.frame = frame;
      this.showRibbon();
      this.refresh();
      this.frameChanged();
    },
    stepFrame(by) {
      const at = this.frames.indexOf(this.frame) + by;
      if (at >= 0 && at < this.frames.length) this.goTo(this.frames[at]);
    },
    get playIcon() { return this.playing ? "bi-stop-fill" : "bi-play-fill"; },
    get canPlay() { return this.frames.length > 1; },
    get rateText() { return this.playing ? `${this.keptCount} of ${this.frames.length} kept` : `${page.rate} fps`; },
    async togglePlay() {
      this.playing = !this.playing && this.canPlay;
      if (!this.playing) return;
      playable = JSON.parse(JSON.stringify({ ...this.asked(), frame: 0 }));
      const named = JSON.stringify(playable);
      while (this.playing) {
        const begun = performance.now();
        const at = this.frames.indexOf(this.frame);
        const ahead = Array.from({ length: AHEAD + 1 }, (_, step) => this.frames[(at + 1 + step) % this.frames.length]);
        this.frame = ahead[0];
        try {
          shared.bitmap = await createImageBitmap(await shared.reel.picture(ahead[0], named, ahead.slice(1)));
          shared.stage.put({ main: shared.bitmap, passing: true });
          this.keptCount = shared.reel.frames.size;
          this.fault = null;
        } catch (error) {
          this.fault = ofFault(error);
          this.playing = false;
        }
        this.showRibbon();
        await new Promise((resolve) => setTimeout(resolve, Math.max(0, 1000 / page.rate - (performance.now() - begun))));
      }
      this.goTo(this.frame);
    },
  };
};
