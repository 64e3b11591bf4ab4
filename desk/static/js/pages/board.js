import board from "../board/index.js";
import { start } from "../start.js";

start({ board });
