// Registers the components of all pages and starts Alpine (its build for a strict content security policy).
import Alpine from "../vendor/alpine/alpine.csp.esm.min.js";
import dispatch from "./dispatch.js";
import "./num-field.js";
import plan from "./plan/plan.js";
import planMist from "./plan/mist.js";
import planNames from "./plan/names.js";
import planPresets from "./plan/presets.js";
import planSheet from "./plan/sheet.js";
import planTree from "./plan/tree.js";
import rebuild from "./rebuild.js";
import renderStation from "./render.js";
import { keeping, strip } from "./strip.js";

Alpine.data("strip", strip);
Alpine.data("keeping", keeping);
Alpine.data("plan", plan);
Alpine.data("planMist", planMist);
Alpine.data("planNames", planNames);
Alpine.data("planPresets", planPresets);
Alpine.data("planSheet", planSheet);
Alpine.data("planTree", planTree);
Alpine.data("rebuild", rebuild);
Alpine.data("renderStation", renderStation);
Alpine.data("dispatch", dispatch);
Alpine.start();
