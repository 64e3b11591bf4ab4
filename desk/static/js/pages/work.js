import workList from "../work.js";
import { start } from "../start.js";

start({ workList });
