// x-field="…": a text field shows a value of the page, but what is being typed into it is not overwritten when that
// changes.
export function keptField(field, { expression }, { evaluateLater, effect }) {
  const read = evaluateLater(expression);
  let text = "";
  let typing = false;
  const draw = () => {
    if (!typing && field.value !== text) field.value = text;
  };
  field.addEventListener("input", () => (typing = true));
  field.addEventListener("change", () => (typing = false));
  field.addEventListener("blur", () => {
    if (!typing) return;
    typing = false;
    draw();
  });
  effect(() => read((value) => {
    text = String(value ?? "");
    draw();
  }));
}
