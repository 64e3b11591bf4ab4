// The picture compared with another: wipe at any angle, difference with gain, flicker, side by side.
const FLICKER = 350; // milliseconds
const COMPARISONS = ["", "wipe", "difference", "flicker", "beside"];

export const comparing = (shared) => {
  let flickerTimer = 0;

  return {
    comparison: "",
    against: false, // the choice of the other picture is open
    other: { origin: "", key: "", frame: shared.page.frame },
    follows: true, // the other picture steps along with the frame
    angle: 0,
    gain: 1,

    get otherOrigin() { return this.origins.find((origin) => origin.id === this.other.origin) ?? this.origins[0]; },
    get otherItems() { return this.otherOrigin?.items ?? []; },
    get otherKey() { return this.otherItems.find((item) => item.key === this.other.key)?.key ?? this.otherItems[0]?.key ?? ""; },
    get otherTitle() {
      const item = this.otherItems.find(({ key }) => key === this.otherKey);
      const from = this.otherOrigin?.id === this.origins[0]?.id ? "" : `, ${this.otherOrigin.text}`;
      return item ? `${item.text}${from}${this.follows ? "" : `, frame ${this.other.frame}`}` : "";
    },
    get otherPointed() {
      return { subject: this.otherOrigin ? this.otherSubject(this.otherOrigin, this.otherKey) : null, frame: this.follows ? this.frame : this.other.frame };
    },
    get showsOther() { return ["wipe", "flicker", "beside"].includes(this.comparison); },
    toggleAgainst() {
      this.against = !this.against;
      if (!this.against && this.comparison) this.compare(this.comparison);
    },
    compare(way) {
      this.comparison = this.comparison === way ? "" : way;
      this.against ||= this.comparison !== "";
      clearInterval(flickerTimer);
      shared.stage.set({ wipe: this.comparison === "wipe" ? 0.5 : null, beside: this.comparison === "beside", swapped: false });
      if (this.comparison === "flicker") flickerTimer = setInterval(() => shared.stage.set({ swapped: !shared.stage.swapped }), FLICKER);
      this.askPicture({});
    },
    isComparing(way) { return this.comparison === way; },
    nextComparison() {
      const next = COMPARISONS[(COMPARISONS.indexOf(this.comparison) + 1) % COMPARISONS.length];
      this.compare(next || this.comparison);
    },
    setOther(changes) {
      this.other = { ...this.other, ...changes };
      if (this.comparison) this.askPicture({});
    },
    setFollows(follows) {
      this.follows = follows;
      this.other.frame = this.frame;
      if (this.comparison) this.askPicture({});
    },
    setAngle(value) {
      this.angle = value;
      shared.stage.set({ angle: value });
    },
    setGain(value, sliding = false) {
      this.gain = value;
      if (sliding) this.askSliding();
      else this.askPicture({});
    },
  };
};
