// A name that is cut in its middle where there is no room, since names differ at their ends; whole on hover.
const ENDING = 12; // letters that always show
const LONG = 22;

class CutName extends HTMLElement {
  static observedAttributes = ["text"];

  attributeChangedCallback(name, before, text) {
    if (text === before) return;
    const cut = text.length > LONG ? text.length - ENDING : text.length;
    const [head, end] = [document.createElement("span"), document.createElement("span")];
    head.className = "cut-head";
    head.textContent = text.slice(0, cut);
    end.textContent = text.slice(cut);
    this.replaceChildren(head, end);
    this.title = text.length > LONG ? text : "";
  }
}

customElements.define("cut-name", CutName);
