import "../num-field.js";
import plan from "../plan/plan.js";
import { start } from "../start.js";

start({ plan });
