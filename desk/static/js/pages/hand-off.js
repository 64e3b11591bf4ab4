import handOff from "../handoff/index.js";
import { start } from "../start.js";

start({ handOff });
