import renderStation from "../render/index.js";
import { start } from "../start.js";

start({ renderStation });
