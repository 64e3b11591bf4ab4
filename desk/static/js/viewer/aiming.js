// A press in the picture that something waits for: a distance to take, an object to choose.
export const aiming = (held) => ({
  aimed: "", // what waits, by a name of its own; empty if nothing
  aimText: "",

  isAimed(name) { return this.aimed === name; },
  // then: called with the pixel { x, y } of the next press inside the picture. Aiming at the same again gives up.
  aim(name, text, then) {
    if (this.aimed === name) {
      this.dropAim();
      return;
    }
    this.aimed = name;
    this.aimText = text;
    held.stage.set({ onPick: (at) => {
      this.dropAim();
      this.guarded(() => then(at));
    } });
  },
  dropAim() {
    this.aimed = this.aimText = "";
    held.stage.set({ onPick: null });
  },
});
