// One request at a time, and only the newest matters: while one is under way, the next waits, replacing any that waited.
export class Newest {
  constructor(run) {
    this.run = run;
    this.waiting = null;
    this.busy = false;
  }

  async ask(request) {
    this.waiting = request;
    if (this.busy) return;
    this.busy = true;
    try {
      while (this.waiting !== null) {
        const next = this.waiting;
        this.waiting = null;
        await this.run(next);
      }
    } finally {
      this.busy = false;
    }
  }
}
