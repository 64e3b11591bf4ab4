// How wide the ledger stands beside the picture: dragged or stepped by keys at its right edge, and kept in this
// browser.
import { reactive } from "../reactive.js";

const NAME = "eager-ledger-width";
const USUAL = 488;
const LEAST = 400;
const STEP = 16;
const SHARE = 0.6; // of the window, at the most

export const createWidth = () => reactive({
  chosen: Number(localStorage.getItem(NAME)) || 0,

  // Always given: Alpine takes a variable that is left out for the word undefined.
  get style() { return { "--ledger": this.chosen ? `${this.chosen}px` : "" }; },
  get now() { return this.chosen || USUAL; },
  set(value) {
    this.chosen = value ? Math.round(Math.max(LEAST, Math.min(value, window.innerWidth * SHARE))) : 0;
    if (this.chosen) localStorage.setItem(NAME, String(this.chosen));
    else localStorage.removeItem(NAME);
  },
  reset() { this.set(0); },
  drag(event) {
    const edge = event.currentTarget;
    edge.setPointerCapture(event.pointerId);
    edge.onpointermove = ({ clientX }) => this.set(clientX);
    edge.onpointerup = () => { edge.onpointermove = edge.onpointerup = null; };
  },
  key(event) {
    const step = { ArrowLeft: -STEP, ArrowRight: STEP }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    this.set(this.now + step);
  },
});
