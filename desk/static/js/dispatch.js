// The dispatch list of Hand-off: follows the deliveries until all have ended.
import { get, pageData, post } from "./api.js";

const EVERY = 700;
const NAMED_AFTER = 250;
const SHOWN_FILES = 5;
const WORDS = { queued: "waiting", running: "being written", done: "written", failed: "failed", cancelled: "cancelled" };

export default () => ({
  deliveries: [],
  fault: "",
  paths: [],
  why: "",
  naming: 0,

  init() {
    const page = pageData();
    this.deliveries = page.deliveries;
    this.url = page.progress;
    this.namesUrl = page.names;
    if (this.$refs.order) this.nameFiles(this.$refs.order);
    this.follow();
  },

  // Of the form above: where its files would be written.
  async nameFiles(form) {
    clearTimeout(this.naming);
    this.naming = setTimeout(async () => {
      try {
        const response = await fetch(this.namesUrl, { method: "POST", body: new FormData(form) });
        Object.assign(this, response.ok ? await response.json() : { paths: [], why: "" });
      } catch {
        Object.assign(this, { paths: [], why: "" }); // pressing Write says what is wrong
      }
    }, NAMED_AFTER);
  },

  get none() { return this.deliveries.length === 0; },

  async follow() {
    while (this.deliveries.some((delivery) => delivery.state === "queued" || delivery.state === "running")) {
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

  summary(delivery) { return `${delivery.how} · frames ${delivery.frames} · ${delivery.author} ${delivery.made.slice(0, 16).replace("T", " ")}`; },
  stateText(delivery) {
    const size = delivery.bytes ? ` · ${(delivery.bytes / 1048576).toFixed(1)} MB` : "";
    return `${WORDS[delivery.state]} ${delivery.done} of ${delivery.whole}${size}`;
  },
  rangeClass(delivery) { return delivery.state === "failed" ? "failed" : ""; },
  rangeStyle(delivery) { return { width: `${Math.round(delivery.share * 100)}%` }; },
  firstFiles(delivery) { return delivery.files.slice(0, SHOWN_FILES); },
  canCancel(delivery) { return delivery.state === "queued" || delivery.state === "running"; },
  canRetry(delivery) { return delivery.state === "failed" || delivery.state === "cancelled"; },
});
