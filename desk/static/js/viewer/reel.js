// Small pictures of the frames of one look, kept ahead of play. Another look empties it. frames: those that have
// arrived.
export const PLAY_WIDTH = 640;
export const AHEAD = 6; // frames asked for before they are shown
export const MOST_KEPT = 400; // pictures

export class Reel {
  constructor({ most, fetch, onKept }) {
    this.most = most;
    this.fetch = fetch;
    this.onKept = onKept;
    this.look = "";
    this.kept = new Map();
    this.frames = new Set();
  }

  // The picture of a frame in a look, from the store or the server; those that follow are asked for at the same time.
  async picture(frame, look, ahead) {
    if (look !== this.look) this.empty(look);
    const wanted = this.ask(frame);
    for (const next of ahead) this.ask(next);
    return wanted;
  }

  ask(frame) {
    if (!this.kept.has(frame)) {
      const { look } = this;
      const asked = this.fetch(frame).then((bitmap) => {
        if (look !== this.look) return bitmap;
        this.frames.add(frame);
        this.onKept(frame);
        return bitmap;
      });
      asked.catch(() => this.kept.delete(frame));
      this.kept.set(frame, asked);
      for (const oldest of this.kept.keys()) {
        if (this.kept.size <= this.most) break;
        this.kept.delete(oldest);
        this.frames.delete(oldest);
      }
    }
    return this.kept.get(frame);
  }

  empty(look) {
    this.look = look;
    this.kept.clear();
    this.frames.clear();
  }
}
