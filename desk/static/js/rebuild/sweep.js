// All frames of the ledger, compared by workers in the background.
import { post } from "../api.js";
import { reactive } from "../reactive.js";

const EVERY = 1000; // milliseconds between questions while frames are compared
const AFTER = 600; // of a change that stays

/** @typedef {ReturnType<typeof createSweep>} Sweep */

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("../viewer/notices.js").Notices} uses.notices
 */
export const createSweep = (page, { editor, frames, notices }) => {
  let timer = 0;

  return reactive({
    verdicts: {}, // of all frames, as workers found them with these rows and files
    open: 0, // frames that are still to be compared

    // All frames, compared by workers; what was found goes on counting while rows and files stay.
    toggle() { return this.ask(this.open ? "stop" : "begin"); },
    async ask(action) {
      clearTimeout(timer);
      const ledger = editor.current();
      await notices.guarded(async () => {
        const { open, verdicts } = await (await post(page.urls.sweep, { ...editor.question(), action })).json();
        if (ledger !== editor.current()) return;
        this.open = open;
        this.verdicts = verdicts;
        frames.showRibbon();
        if (open) timer = setTimeout(() => this.ask("state"), EVERY);
      });
    },
    // Other rows, other verdicts: those of the rows as they are now, if they were compared before.
    forget() {
      this.verdicts = {};
      this.open = 0;
      frames.showRibbon();
      clearTimeout(timer);
      timer = setTimeout(() => this.ask("state"), AFTER);
    },
    framesSaid(...words) { return frames.all.filter((frame) => words.includes(this.verdicts[frame])); },
    marks() {
      return { sound: new Set(this.framesSaid("sound")), broken: new Set(this.framesSaid("broken", "unread")) };
    },
    get buttonText() {
      return this.open ? `Stop (${Object.keys(this.verdicts).length} of ${frames.all.length})` : "All frames";
    },
    get running() { return this.open > 0; },
    get text() {
      const [sound, broken, unread] = ["sound", "broken", "unread"].map((word) => this.framesSaid(word));
      const parts = [];
      if (sound.length) parts.push(`${sound.length} balanced`);
      if (broken.length) parts.push(`${broken.length} not balanced, the first ${broken[0]}`);
      if (unread.length) parts.push(`${unread.length} not compared, the first ${unread[0]}`);
      const left = frames.all.length - sound.length - broken.length - unread.length;
      if (parts.length && left) parts.push(`${left} not looked at`);
      return parts.join("; ");
    },
  });
};
