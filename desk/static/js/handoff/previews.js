// What each item will be, worked out one after the other, and what was written; one of them large.
import { Fault, post } from "../api.js";
import { reactive } from "../reactive.js";

/** @typedef {ReturnType<typeof createPreviews>} Previews */

const settingsOf = (frames, item) => JSON.stringify([frames, { ...item, enabled: true }]);

/** @param {any} page */
export const createPreviews = (page) => {
  let waiting = null; // the newest list, while an older one is worked through

  const previews = reactive({
    found: {}, // by item: of which settings and of what it was made; picture, words, frame
    chosen: null, // what is large: an item's id, or a picture that was written
    running: "", // the item that is being worked out

    // A picture of other settings is not shown for these.
    forgetOthers(frames, items) {
      const kept = items.filter((item) => this.found[item.id]?.settings === settingsOf(frames, item));
      this.found = Object.fromEntries(kept.map(({ id }) => [id, this.found[id]]));
    },
    // The items as they are now, and what the server says each is made from; only those that changed are worked out.
    async ask(frames, document, named) {
      this.forgetOthers(frames, document.items);
      waiting = { frames, document, madeFrom: Object.fromEntries(named.map((each) => [each.item, each.made_from])) };
      if (this.running) return;
      while (waiting) {
        const asked = waiting;
        waiting = null;
        for (const item of asked.document.items) {
          if (waiting) break;
          const isCurrent = this.found[item.id]?.madeFrom === asked.madeFrom[item.id];
          if (item.enabled && !isCurrent) await this.workOut(item, asked);
        }
      }
      this.running = "";
    },
    async workOut(item, { frames, document, madeFrom }) {
      delete this.found[item.id];
      this.running = item.id;
      const of = { settings: settingsOf(frames, item), madeFrom: madeFrom[item.id] };
      try {
        const one = { ...document, items: [item] };
        const answer = await (await post(page.urls.preview, { frames, document: one })).json();
        if (!waiting) this.found[item.id] = { ...of, ...answer };
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        this.found[item.id] = { ...of, madeFrom: "", picture: "", words: [error.what, error.advice].filter(Boolean) };
      }
    },

    pictureOf(id) { return this.found[id]?.picture ?? ""; },
    iconOf(id) {
      if (this.running === id) return "bi-hourglass-split";
      return this.found[id] ? "bi-box-seam" : "bi-image";
    },
    thumbLabel(id) { return `Show ${id} large`; },
    showItem(id) { this.chosen = id; },
    showWritten(delivery, item) {
      this.chosen = { title: `${delivery.name}, ${item.id}`, picture: item.pictures.large, words: [item.words] };
    },
    isChosen(id) { return this.chosen === id; },
    // What is large: what was pressed, else the first that there is.
    largeOf(items, deliveries) {
      if (this.chosen && typeof this.chosen === "object") return this.chosen;
      const item =
        items.find(({ id }) => id === this.chosen) ?? items.find(({ id, enabled }) => enabled && this.pictureOf(id));
      if (item) {
        const { picture = "", words = ["being worked out…"], frame } = this.found[item.id] ?? {};
        return { title: frame ? `${item.id}, frame ${frame}` : item.id, picture, words };
      }
      const delivery = deliveries.find(({ items: written }) => written.some(({ pictures }) => pictures));
      const written = delivery?.items.find(({ pictures }) => pictures);
      if (written) {
        return { title: `${delivery.name}, ${written.id}`, picture: written.pictures.large, words: [written.words] };
      }
      return { title: "", picture: "", words: ["Each item shows here what it will be, before anything is written."] };
    },
  });
  return previews;
};
