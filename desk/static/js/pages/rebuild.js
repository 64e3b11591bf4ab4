import rebuild from "../rebuild/index.js";
import { notesBeside } from "../rebuild/notes.js";
import { start } from "../start.js";

start({ rebuild, notesBeside });
