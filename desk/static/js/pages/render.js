import renderStation from "../render.js";
import { start } from "../start.js";

start({ renderStation });
