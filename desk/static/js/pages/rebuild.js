import rebuild from "../rebuild.js";
import { start } from "../start.js";

start({ rebuild });
