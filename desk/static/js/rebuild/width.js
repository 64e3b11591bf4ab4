// How wide the ledger stands beside the picture: dragged or stepped by keys at its right edge, and kept in this browser.
const NAME = "eager-ledger-width";
const USUAL = 488;
const LEAST = 400;
const STEP = 16;
const SHARE = 0.6; // of the window, at the most

export const width = () => ({
  ledgerWidth: Number(localStorage.getItem(NAME)) || 0,

  // Always given: Alpine takes a variable that is left out for the word undefined.
  get widthStyle() { return { "--ledger": this.ledgerWidth ? `${this.ledgerWidth}px` : "" }; },
  get widthNow() { return this.ledgerWidth || USUAL; },
  setWidth(value) {
    this.ledgerWidth = value ? Math.round(Math.max(LEAST, Math.min(value, window.innerWidth * SHARE))) : 0;
    if (this.ledgerWidth) localStorage.setItem(NAME, this.ledgerWidth);
    else localStorage.removeItem(NAME);
  },
  usualWidth() { this.setWidth(0); },
  dragWidth(event) {
    const edge = event.currentTarget;
    edge.setPointerCapture(event.pointerId);
    edge.onpointermove = ({ clientX }) => this.setWidth(clientX);
    edge.onpointerup = () => { edge.onpointermove = edge.onpointerup = null; };
  },
  widthKey(event) {
    const step = { ArrowLeft: -STEP, ArrowRight: STEP }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    this.setWidth(this.widthNow + step);
  },
});
