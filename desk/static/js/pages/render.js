import renderPicture from "../render-picture.js";
import renderStation from "../render.js";
import { start } from "../start.js";

start({ renderStation, renderPicture });
