// The dispatch list of Hand-off: follows the deliveries until all have ended.
import { get, pageData, post } from "./api.js";

const EVERY = 700;
const SHOWN_FILES = 5;
const WORDS = { queued: "waiting", running: "being written", done: "written", failed: "failed", cancelled: "cancelled" };

export default () => ({
  deliveries: [],
  fault: "",

  init() {
    const page = pageData();
    this.deliveries = page.deliveries;
    this.url = page.progress;
    this.follow();
  },

  get none() { return this.deliveries.length === 0; },

  async follow() {
    while (this.deliveries.some((one) => one.state === "queued" || one.state === "running")) {
      await new Promise((resolve) => setTimeout(resolve, EVERY));
      await this.renew(() => get(this.url));
    }
  },

  async post(url) {
    await this.renew(() => post(url, {}));
    this.follow();
  },

  async renew(request) {
    try {
      this.deliveries = (await (await request()).json()).deliveries;
      this.fault = "";
    } catch (error) {
      this.fault = `${error.what ?? error} ${error.advice ?? ""}`;
    }
  },

  summary(one) { return `${one.how} · frames ${one.frames} · ${one.author} ${one.made.slice(0, 16).replace("T", " ")}`; },
  stateText(one) {
    const size = one.bytes ? ` · ${(one.bytes / 1048576).toFixed(1)} MB` : "";
    return `${WORDS[one.state]} ${one.done} of ${one.whole}${size}`;
  },
  rangeClass(one) { return one.state === "failed" ? "failed" : ""; },
  rangeStyle(one) { return { width: `${Math.round(one.share * 100)}%` }; },
  firstFiles(one) { return one.files.slice(0, SHOWN_FILES); },
  canCancel(one) { return one.state === "queued" || one.state === "running"; },
  canRetry(one) { return one.state === "failed" || one.state === "cancelled"; },
});
