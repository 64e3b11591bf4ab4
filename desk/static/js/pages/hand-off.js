import dispatch from "../dispatch.js";
import { start } from "../start.js";

start({ dispatch });
