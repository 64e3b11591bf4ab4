import { factsSheet, scenePicture } from "../scene.js";
import { start } from "../start.js";

start({ factsSheet, scenePicture });
