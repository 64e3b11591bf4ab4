// All long work: what runs, waits or failed, whose it is, with cancel.
import { get, ofFault, pageData, post } from "./api.js";
import { duration } from "./numbers.js";

const EVERY = 1500;

export default () => {
  const { work, urls } = pageData();
  return {
    jobs: work.jobs,
    workers: work.workers,
    refusing: work.refusing,
    fault: null,

    init() { this.poll(); },
    async poll() {
      for (;;) {
        await new Promise((done) => setTimeout(done, EVERY));
        if (document.hidden) continue;
        try {
          this.adopt(await (await get(urls.progress)).json());
        } catch (error) {
          this.fault = ofFault(error);
        }
      }
    },
    adopt({ jobs, workers, refusing }) {
      Object.assign(this, { jobs, workers, refusing });
      this.fault = null;
    },
    async change(body) {
      try {
        this.adopt(await (await post(urls.change, body)).json());
      } catch (error) {
        this.fault = ofFault(error);
      }
    },
    act(job, action) { this.change({ job: job.id, action }); },
    first(job) { this.change({ job: job.id, action: "priority", priority: 1 }); },
    mayCancel(job) { return job.mayChange && job.open > 0; },
    mayFirst(job) { return job.mayChange && job.open > 0 && job.state === "waiting"; },
    mayResume(job) { return job.mayChange && job.open === 0 && job.good < job.whole; },
    stateText(job) { return job.failed && job.state !== "failed" ? `${job.state}, ${job.failed} failed` : job.state; },
    madeText(job) {
      const made = new Date(job.made);
      const time = made.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false });
      return made.toDateString() === new Date().toDateString() ? time : `${made.toLocaleDateString("sv")} ${time}`;
    },
    tookText(job) {
      if (job.seconds === null) return "";
      return job.open ? `${duration(job.seconds)} so far` : duration(job.seconds);
    },
    shareText(job) { return `${job.good} of ${job.whole}`; },
    get workersText() {
      if (!this.workers.length) return "No worker is running. Run ./eager start, or start one on another machine.";
      return `${this.workers.length} worker${this.workers.length > 1 ? "s" : ""} running: ${this.workers.join(", ")}`;
    },
    get faultWhat() { return this.fault?.what ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
  };
};
