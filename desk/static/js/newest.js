// One request at a time, and only the newest matters: while one is under way, the next waits, replacing any that waited.
export class Newest {
  constructor(run) {
    this.run = run;
    this.waiting = null;
    this.working = null;
  }

  // Resolves once nothing is under way and nothing waits.
  ask(request) {
    this.waiting = request;
    this.working ??= this.work().finally(() => (this.working = null));
    return this.working;
  }

  async work() {
    while (this.waiting !== null) {
      const next = this.waiting;
      this.waiting = null;
      await this.run(next);
    }
  }
}
