// One request at a time, and only the newest matters: while one is under way, the next waits, replacing any that
// waited.
export class Newest {
  // run: answers a request; the signal it is handed says when the answer is no longer wanted.
  constructor(run) {
    this.run = run;
    this.waiting = null;
    this.working = null;
    this.wanted = null;
  }

  // Resolves once nothing is under way and nothing waits. over: what is under way is given up for it.
  ask(request, { over = false } = {}) {
    this.waiting = request;
    if (over) this.giveUp();
    this.working ??= this.work();
    return this.working;
  }

  giveUp() {
    this.wanted?.abort();
    this.working = null;
  }

  async work() {
    const wanted = (this.wanted = new AbortController());
    try {
      while (this.waiting !== null && !wanted.signal.aborted) {
        const next = this.waiting;
        this.waiting = null;
        await this.run(next, wanted.signal);
      }
    } finally {
      if (this.wanted === wanted) this.working = null;
    }
  }
}
