// Registers the components of all pages and starts Alpine (its build for a strict content security policy).
import Alpine from "../vendor/alpine/alpine.csp.esm.min.js";
import dispatch from "./dispatch.js";
import "./num-field.js";
import plan from "./plan.js";
import rebuild from "./rebuild.js";
import { keeping, strip } from "./strip.js";

Alpine.data("strip", strip);
Alpine.data("keeping", keeping);
Alpine.data("plan", plan);
Alpine.data("rebuild", rebuild);
Alpine.data("dispatch", dispatch);
Alpine.start();
