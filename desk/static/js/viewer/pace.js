// How coarse pictures have to be to follow a drag: 1 is as fine as they stand on the screen, 2 half of that on both
// sides.
const TOO_LONG = 45; // milliseconds from asking to the answer: at 20 pictures a second there are 50 for everything
const WITH_EASE = 15;
const COARSEST = 2;
const WEIGHT = 0.3; // of the newest, so that one slow answer changes nothing

export class Pace {
  constructor() {
    this.coarse = 1;
    this.usual = (TOO_LONG + WITH_EASE) / 2;
  }

  took(milliseconds) {
    this.usual += WEIGHT * (milliseconds - this.usual);
    const step = this.usual > TOO_LONG ? 1 : this.usual < WITH_EASE ? -1 : 0;
    const coarse = Math.min(COARSEST, Math.max(1, this.coarse + step));
    if (coarse === this.coarse) return;
    this.coarse = coarse;
    this.usual = (TOO_LONG + WITH_EASE) / 2; // what it was says little of the new size
  }
}
