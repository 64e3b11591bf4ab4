import deep from "../deep/index.js";
import { start } from "../start.js";

start({ deep });
