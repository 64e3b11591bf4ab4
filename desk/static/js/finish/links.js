// Where to go from here, with the frame that is shown.
import { reactive } from "../reactive.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("../rebuild/editor.js").Editor} uses.editor
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {import("./steps.js").Steps} uses.steps
 */
export const createLinks = (page, { editor, frames, steps }) => reactive({
  get rebuild() { return `${page.urls.rebuild}?frame=${frames.current}`; },
  get handOff() { return `${page.urls.handoff}?frame=${frames.current}`; },
  nameAddress() {
    const query = new URLSearchParams({ frame: frames.current, ...(steps.openedId ? { step: steps.openedId } : {}) });
    window.history.replaceState(null, "", `?${query}`);
  },
  leave(event) { editor.leaveFor(event, this.handOff); },
});
