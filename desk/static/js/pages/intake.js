import intake from "../intake.js";
import { start } from "../start.js";

start({ intake });
