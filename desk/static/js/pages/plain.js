import { start } from "../start.js";

start();
