// The dispatch list: follows the deliveries until all have ended.
import { get, post } from "../api.js";

const EVERY = 700; // milliseconds
const WORDS = {
  queued: "waiting",
  running: "being written",
  done: "written",
  failed: "failed",
  cancelled: "cancelled",
};
const UNDER_WAY = ["queued", "running"];

export const dispatched = (page) => ({
  deliveries: page.deliveries,
  following: false,

  init() { this.follow(); },

  get none() { return this.deliveries.length === 0; },
  show(deliveries) { this.deliveries = deliveries; },
  isUnderWay(delivery) { return UNDER_WAY.includes(delivery.state); },
  async follow() {
    if (this.following) return;
    this.following = true;
    while (this.deliveries.some((delivery) => this.isUnderWay(delivery))) {
      await new Promise((resolve) => setTimeout(resolve, EVERY));
      await this.guarded(async () => this.show((await (await get(page.urls.progress)).json()).deliveries));
    }
    this.following = false;
  },
  async act(url) {
    await this.guarded(async () => this.show((await (await post(url, {})).json()).deliveries));
    this.follow();
  },

  whenText({ author, made }) { return `${author} ${made.slice(0, 16).replace("T", " ")}`; },
  stateText(delivery) {
    const size = delivery.bytes ? ` · ${(delivery.bytes / 1048576).toFixed(1)} MB` : "";
    const frames = `${delivery.done} of ${delivery.whole} frame${delivery.whole === 1 ? "" : "s"}`;
    const closing = delivery.done === delivery.whole && this.isUnderWay(delivery) ? ", closing" : "";
    return `${WORDS[delivery.state]} · ${frames}${closing}${size}`;
  },
  rangeClass(delivery) { return delivery.state === "failed" ? "failed" : ""; },
  rangeStyle(delivery) { return { width: `${Math.round(delivery.share * 100)}%` }; },
  pictured(delivery) { return delivery.items.filter(({ pictures }) => pictures); },
  reviewed(delivery) { return delivery.items.filter(({ review }) => review); },
  writtenLabel(delivery, item) { return `Show ${item.id} of ${delivery.name} large`; },
  filesText(delivery) {
    const count = delivery.items.reduce((sum, item) => sum + item.count, 0);
    return `${count} file${count === 1 ? "" : "s"}`;
  },
  shownFiles(item) {
    return item.files.slice(0, item.kind === "exr" || item.kind === "still" ? item.files.length : 1);
  },
  moreFiles(item) {
    const more = item.count - this.shownFiles(item).length;
    return more > 0 ? `and ${more} more` : "";
  },
  shortName({ name }) { return name.split("/").at(-1); },
  canRetry(delivery) { return delivery.state === "failed" || delivery.state === "cancelled"; },
  canClose(delivery) { return this.canRetry(delivery) && delivery.lost.length > 0 && delivery.done > 0; },
});
