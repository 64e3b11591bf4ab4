import "../num-field.js";
import planMist from "../plan/mist.js";
import planNames from "../plan/names.js";
import plan from "../plan/plan.js";
import planPresets from "../plan/presets.js";
import planSheet from "../plan/sheet.js";
import planTree from "../plan/tree.js";
import { start } from "../start.js";

start({ plan, planMist, planNames, planPresets, planSheet, planTree });
