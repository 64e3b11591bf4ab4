import review from "../review/index.js";
import { start } from "../start.js";

start({ review });
