import finish from "../finish/index.js";
import { start } from "../start.js";

start({ finish });
