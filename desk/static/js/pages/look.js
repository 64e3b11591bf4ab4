import look from "../look.js";
import { start } from "../start.js";

start({ look });
