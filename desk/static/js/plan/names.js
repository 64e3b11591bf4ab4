// Names: the pattern, what it gives, and what an existing name says.
import { post } from "../api.js";
import { byRef, reactive } from "../reactive.js";

const FIELDS = ["production", "shot", "layer", "camera", "pass", "version:03", "frame:04", "suffix"];

/**
 * @param {any} page
 * @param {object} uses
 * @param {import("./editor.js").Editor} uses.editor
 */
export const createNames = (page, { editor }) => {
  const { urls } = page;

  return reactive({
    fields: FIELDS.map((field) => `{${field}}`),
    read: null,

    get examples() {
      const files = editor.answer.files;
      const places = files.length > 6 ? [0, 1, 2, Math.floor(files.length / 2), files.length - 1] : files.keys();
      return [...places].map((place) => files[place][0]);
    },
    insert(field) {
      const input = byRef("names");
      const at = input.selectionStart ?? input.value.length;
      input.value = input.value.slice(0, at) + field + input.value.slice(input.selectionEnd ?? at);
      input.focus();
      input.setSelectionRange(at + field.length, at + field.length);
      editor.put("names", input.value.trim());
    },
    insertLabel(field) { return `Put ${field} into the names`; },
    readName({ target: { value } }) {
      if (!value.trim()) return;
      editor.attempt(async () => {
        await editor.settled();
        this.read = await (await post(urls.name, { plan: editor.plan, path: value.trim() })).json();
      });
    },
    get readValues() {
      return this.read?.values ? Object.entries(this.read.values).map(([field, value]) => ({ field, value })) : [];
    },
    get readFails() { return this.read !== null && this.read.values === null; },
  });
};
