// Starts Alpine (its build for a strict content security policy) with the components of a page and those of every page.
import Alpine from "../vendor/alpine/alpine.csp.esm.min.js";
import { keptField } from "./kept-field.js";
import { watchImages } from "./patient-images.js";
import { keeping, keysSheet, strip } from "./strip.js";
import { watchTour } from "./tour.js";

export function start(components = {}) {
  for (const [name, component] of Object.entries({ strip, keeping, keysSheet, ...components }))
    Alpine.data(name, component);
  Alpine.directive("field", keptField);
  Alpine.start();
  // What is in a field counts when the page is left, before anything asks whether all is saved.
  window.addEventListener("beforeunload", () => /** @type {HTMLElement} */ (document.activeElement)?.blur(), {
    capture: true,
  });
  watchImages();
  watchTour();
}
