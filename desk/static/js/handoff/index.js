// Hand-off: what goes out, put together as items, and the deliveries so far.
import "../num-field.js";
import { pageData, wordsOf } from "../api.js";
import { boards } from "./boards.js";
import { dispatched } from "./dispatched.js";
import { items } from "./items.js";
import { presets } from "./presets.js";
import { createPreviews } from "./previews.js";

export default () => {
  const page = pageData();
  const parts = [items(page), presets(page), boards(page), dispatched(page)];
  const joined = { mayChange: page.mayChange, fault: "", previews: createPreviews(page) };
  for (const part of parts) Object.defineProperties(joined, Object.getOwnPropertyDescriptors(part));
  joined.init = function () {
    for (const part of parts) part.init?.call(this);
  };
  // Runs a request; what is wrong stands above the list.
  joined.guarded = async function (request) {
    try {
      await request();
      this.fault = "";
    } catch (error) {
      this.fault = wordsOf(error);
    }
  };
  return joined;
};
