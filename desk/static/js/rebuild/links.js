// Where to go from here, with the frame and the row that are open.
import { reactive } from "../reactive.js";

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 * @param {import("../viewer/frames.js").Frames} uses.frames
 * @param {() => string} uses.opened id of the row that is open, if any
 */
export const createLinks = (page, { editor, frames, opened }) => reactive({
  get look() { return `${page.urls.look}?element=${editor.element}&frame=${frames.current}`; },
  get deep() { return `${page.urls.deep}?${new URLSearchParams({ frame: frames.current, row: opened() })}`; },
  get handOff() { return `${page.urls.handoff}?frame=${frames.current}`; },
  nameAddress() {
    const query = new URLSearchParams({ frame: frames.current, ...(opened() ? { row: opened() } : {}) });
    window.history.replaceState(null, "", `?${query}`);
  },
  leave(event) { editor.leaveFor(event, this.handOff); },
});
