// The parts of a page are objects of their own, which the page follows: what changes in one is drawn anew.
import Alpine from "../vendor/alpine/alpine.csp.esm.min.js";

/**
 * @template {object} T
 * @param {T} part
 * @returns {T}
 */
export const reactive = (part) => Alpine.reactive(part);

/** @param {() => void} [then] once what was changed is drawn. */
export const nextTick = (then) => Alpine.nextTick(then);

/**
 * The element that a template names with x-ref.
 * @param {string} name
 * @returns {any}
 */
export const byRef = (name) => document.querySelector(`[x-ref="${name}"]`);
