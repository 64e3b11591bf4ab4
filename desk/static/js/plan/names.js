// Names: the pattern, what it gives, and what an existing name says.
import { pageData, post } from "../api.js";

const FIELDS = ["production", "shot", "layer", "camera", "pass", "version:03", "frame:04", "suffix"];

export default () => {
  const { urls } = pageData();
  return {
    fields: FIELDS.map((field) => `{${field}}`),
    read: null,

    get examples() {
      const files = this.answer.files;
      const places = files.length > 6 ? [0, 1, 2, Math.floor(files.length / 2), files.length - 1] : files.keys();
      return [...places].map((place) => files[place][0]);
    },
    insert(field) {
      const input = this.$refs.names;
      const at = input.selectionStart ?? input.value.length;
      input.value = input.value.slice(0, at) + field + input.value.slice(input.selectionEnd ?? at);
      input.focus();
      input.setSelectionRange(at + field.length, at + field.length);
      this.put("names", input.value.trim());
    },
    insertLabel(field) { return `Put ${field} into the names`; },
    readName({ target: { value } }) {
      if (!value.trim()) return;
      this.attempt(async () => {
        await this.settled();
        this.read = await (await post(urls.name, { plan: this.plan, path: value.trim() })).json();
      });
    },
    get readValues() {
      return this.read?.values ? Object.entries(this.read.values).map(([field, value]) => ({ field, value })) : [];
    },
    get readFails() { return this.read !== null && this.read.values === null; },
  };
};
