import rebuild from "../rebuild/index.js";
import { start } from "../start.js";

start({ rebuild });
