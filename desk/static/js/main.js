// Starts Alpine (its build for a strict content security policy) with the components of the page that is open, and no others.
import Alpine from "../vendor/alpine/alpine.csp.esm.min.js";
import { keeping, keysSheet, strip } from "./strip.js";

const PAGES = {
  plan: () => import("./plan/page.js"),
  render: () => import("./render.js").then((module) => ({ renderStation: module.default })),
  rebuild: () => import("./rebuild.js").then((module) => ({ rebuild: module.default })),
  "hand-off": () => import("./dispatch.js").then((module) => ({ dispatch: module.default })),
  scene: () => import("./scene.js"),
  work: () => import("./work.js").then((module) => ({ workList: module.default })),
};

const components = (await PAGES[document.body.dataset.station]?.()) ?? {};
for (const [name, component] of Object.entries({ strip, keeping, keysSheet, ...components })) Alpine.data(name, component);
Alpine.start();
