// Which picture of the group is shown.
import { reactive } from "../reactive.js";

const SHOWS = {
  seen: "by depth",
  flat: "merged flat, by Z",
  difference: "difference from flat",
  samples: "samples a pixel",
};

/** @param {() => void} onChange something else is shown */
export const createShown = (onChange) => reactive({
  show: "seen",

  get subject() { return { kind: "depth", show: this.show }; },
  get shows() { return Object.entries(SHOWS).map(([key, text]) => ({ key, text })); },
  get title() { return SHOWS[this.show]; },
  get data() { return this.show === "samples" ? { way: "auto" } : null; },
  get probeKey() { return this.show === "samples" ? "samples" : "seen"; },
  get origins() { return [{ id: "depth", text: "this group", items: this.shows }]; },
  isShown(key) { return this.show === key; },
  showAs(key) {
    this.show = key;
    onChange();
  },
});
