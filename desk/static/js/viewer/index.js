// The viewer of every station: any subject of a frame, how it is looked at, what it is compared with, the numbers behind it.
//
// A page joins its own part to it, which has: subject (what is shown, as the server knows it), extra (more to send along),
// title, frames, and where they apply probeKey (the line of the probe that is shown), ribbonKeys (frames marked as keys),
// ribbonVerdicts (sets of frames that are sound or broken), isData, isRange, origins and
// otherSubject (what it can be compared with), frameChanged, nameAddress, ownKeys, undo and redo.
import { isSuperseded, ofFault } from "../api.js";
import "../num-field.js";
import { aiming } from "./aiming.js";
import { comparing } from "./comparing.js";
import { frames } from "./frames.js";
import { joined } from "./joined.js";
import { looking } from "./looking.js";
import { pictures } from "./pictures.js";
import { probing } from "./probing.js";

export function viewer(page, own) {
  // Kept out of Alpine's reach: its proxies would wrap bitmaps and canvases.
  const shared = { page, name: crypto.randomUUID(), stage: null, ribbon: null, reel: null, bitmap: null, pictures: null, quick: null, probes: null, numbers: null };
  const defaults = {
    extra: {},
    isData: false,
    isRange: false,
    origins: [],
    probeKey: "",
    ribbonKeys: [],
    ribbonVerdicts: {},
    get groundShown() { return this.ground; },
    frameChanged() {},
    nameAddress() {},
    ownKeys() { return {}; },
    undo() {},
    redo() {},
    async guarded(work) {
      try {
        await work();
      } catch (error) {
        if (!isSuperseded(error)) this.fault = ofFault(error);
      }
    },
  };
  return joined(defaults, pictures(shared), looking(shared), comparing(shared), probing(shared), aiming(shared), frames(shared), keys(), own);
}

const keys = () => ({
  pressed(event) {
    const field = event.target.closest("input:not([type=checkbox]), select, textarea");
    const undoes = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z";
    // In a number that is not being typed, undo is that of the page.
    if (field && !(undoes && field.closest("num-field") && !field.closest("num-field").typing)) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      if (event.shiftKey) this.redo();
      else this.undo();
      return;
    }
    if (document.querySelector("dialog[open]") || event.ctrlKey || event.metaKey || event.altKey) return;
    const onButton = event.target.closest("button, a, input");
    const actions = {
      ",": () => this.stepFrame(-1),
      ".": () => this.stepFrame(1),
      w: () => this.nextComparison(),
      p: () => this.toggleReadings(),
      s: () => this.toggleScopes(),
      f: () => this.fit(),
      Home: () => this.oneToOne(),
      o: () => this.toggleMark("over"),
      n: () => this.toggleMark("negative"),
      x: () => this.toggleMark("nan"),
      "+": () => this.look("stops", this.stops + 1),
      "-": () => this.look("stops", this.stops - 1),
      Escape: () => (this.aimed ? this.dropAim() : this.boxed(null)),
      " ": onButton ? null : () => this.togglePlay(),
      ...this.ownKeys(event),
    };
    const action = actions[event.key];
    if (!action) return;
    event.preventDefault();
    action();
  },
});
