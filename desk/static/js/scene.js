// The page of a scene: pictures that come when a worker has drawn them, and the sheet of facts.
import { ofFault, pageData, post } from "./api.js";

const AGAIN_AFTER = 1500;
const TRIES = 80;

// An image that may not be there yet: asked for again until it is.
export const scenePicture = () => ({
  shown: "",
  waiting: "Computing…",

  async init() {
    const { url } = this.$el.dataset;
    for (let tries = 0; tries < TRIES && !this.shown; tries += 1) {
      const answer = await fetch(url);
      if (answer.status === 200) this.shown = URL.createObjectURL(await answer.blob());
      else if (answer.status !== 202) break;
      else await new Promise((done) => setTimeout(done, AGAIN_AFTER));
    }
    if (!this.shown) this.waiting = "not drawn, see Work";
  },
});

const BLANK = {
  materials: () => ({ name: "", carries: ["diffuse", "specular"] }),
  groups: () => ({ name: "", materials: [], moves: false, alone: false }),
  lights: () => ({ name: "", label: "", kind: "lamp" }),
  cameras: () => ({ name: "", working: false, near: 0, far: 0 }),
};

export const factsSheet = () => {
  const page = pageData();
  return {
    sheet: page.sheet,
    carries: page.carries,
    mayChange: page.mayChange,
    fault: null,
    state: "",

    add(kind) { this.sheet[kind].push(BLANK[kind]()); },
    remove(kind, place) { this.sheet[kind].splice(place, 1); },
    get materialNames() { return this.sheet.materials.map((material) => material.name).filter(Boolean); },
    async keep() {
      this.state = "keeping…";
      try {
        await post(page.url, { sheet: this.sheet });
        location.reload();
      } catch (error) {
        this.fault = ofFault(error);
        this.state = "not kept";
      }
    },
    get faultWhat() { return this.fault?.what ?? ""; },
    get faultWhere() { return this.fault?.where ?? ""; },
    get faultAdvice() { return this.fault?.advice ?? ""; },
  };
};
