// <num-field value min max step reset digits label>: a number to drag sideways, type or step by keys.
// Sends `slide` while it changes and `rest` when it stays; detail is the number.
const COARSE = 10;
const FINE = 0.1;
const PIXELS_PER_STEP = 2;
const DRAG_FROM = 3;
const REASON_STAYS = 6000; // milliseconds

class NumField extends HTMLElement {
  static observedAttributes = ["value", "locked", "label", "reset", "digits"];

  connectedCallback() {
    if (this.input) return;
    this.input = document.createElement("input");
    this.input.type = "text";
    this.input.inputMode = "decimal";
    this.input.autocomplete = "off";
    this.input.setAttribute("role", "spinbutton");
    this.append(this.input);
    this.input.addEventListener("pointerdown", (event) => this.press(event));
    this.input.addEventListener("keydown", (event) => this.key(event));
    this.input.addEventListener("input", () => (this.typing = true));
    this.input.addEventListener("change", () => this.typed());
    this.input.addEventListener("blur", () => this.leave());
    this.input.addEventListener("dblclick", () => this.settle(this.resting));
    this.draw();
  }

  attributeChangedCallback() {
    if (this.input && !this.dragging && !this.typing) this.draw();
  }

  // Alpine binds `value` as a property.
  get value() { return this.getAttribute("value"); }
  /** @param {any} number */
  set value(number) { this.setAttribute("value", number); }

  get number() { return Number(this.getAttribute("value")); }
  get resting() { return Number(this.getAttribute("reset") ?? 0); }
  get step() { return Number(this.getAttribute("step") ?? 1); }
  get whole() { return this.getAttribute("digits") === "0"; }
  get locked() { return this.getAttribute("locked") === "true"; }

  draw(number = this.number) {
    const digits = Number(this.getAttribute("digits") ?? 2);
    const short = number.toFixed(digits);
    const whole = Math.abs(Number(short) - number) < 1e-9 ? short : String(Number(number.toPrecision(7)));
    // A number between two keys has many digits: they show while it is worked on, and on hover.
    const resting = document.activeElement !== this.input && !this.dragging;
    const { selectionStart, selectionEnd, value } = this.input;
    const chosen = !resting && selectionStart === 0 && selectionEnd === value.length; // what is typed next replaces it
    this.input.value = resting && whole !== short ? String(Number(number.toPrecision(Math.max(4, digits + 2)))) : whole;
    if (chosen) this.input.select();
    this.input.title = this.input.value === whole ? "" : whole;
    this.input.disabled = this.locked;
    this.input.setAttribute("aria-label", this.getAttribute("label") ?? "");
    this.input.setAttribute("aria-valuenow", String(number));
    this.toggleAttribute("changed", number !== this.resting);
    this.accept();
  }

  limited(number) {
    const low = Number(this.getAttribute("min") ?? -Infinity);
    const high = Number(this.getAttribute("max") ?? Infinity);
    const kept = this.whole ? Math.round(number) : Number(number.toFixed(6));
    return Math.min(high, Math.max(low, kept));
  }

  pace(event) {
    const pace = this.step * (event.shiftKey ? COARSE : event.altKey ? FINE : 1);
    return this.whole ? Math.max(1, Math.round(pace)) : pace;
  }

  press(event) {
    if (event.button !== 0 || this.locked || document.activeElement === this.input) return;
    event.preventDefault();
    let last = event.clientX;
    let number = this.number;
    let moved = 0;
    this.input.setPointerCapture(event.pointerId);
    const move = (change) => {
      moved += Math.abs(change.clientX - last);
      number += ((change.clientX - last) / PIXELS_PER_STEP) * this.pace(change);
      last = change.clientX;
      if (moved < DRAG_FROM) return;
      this.dragging = true;
      this.draw(this.limited(number));
      this.send("slide", this.limited(number));
    };
    const release = () => {
      this.input.removeEventListener("pointermove", move);
      if (this.dragging) {
        this.dragging = false;
        this.settle(number);
      } else {
        this.input.focus();
        this.draw(); // all of its digits, chosen, so that what is typed takes their place
        this.input.select();
      }
    };
    this.input.addEventListener("pointermove", move);
    this.input.addEventListener("lostpointercapture", release, { once: true });
  }

  key(event) {
    const direction = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (direction) {
      event.preventDefault();
      event.stopPropagation();
      this.settle(this.number + direction * this.pace(event));
    } else if (event.key === "Enter") {
      this.typed();
      this.input.select(); // Enter takes what was typed, and the next number can follow
    } else if (event.key === "Escape") {
      this.typing = false;
      this.draw();
      this.input.blur();
    }
  }

  // What was typed and taken back by hand sends no change; the value may have become another meanwhile.
  leave() {
    this.typing = false;
    if (!this.hasAttribute("wrong")) this.draw();
  }

  // What was only looked at stays as it is, with the digits that do not show.
  typed() {
    if (!this.typing) return;
    this.typing = false;
    const number = Number(this.input.value.trim().replace(",", "."));
    if (this.input.value.trim() === "" || !Number.isFinite(number)) {
      this.refuse("Not a number");
      return;
    }
    const [low, high] = [this.getAttribute("min"), this.getAttribute("max")];
    if ((low !== null && number < Number(low)) || (high !== null && number > Number(high))) {
      this.refuse(`From ${low ?? "any number"} to ${high ?? "any number"}`);
      return;
    }
    if (number !== this.number) this.settle(number);
    else this.draw();
  }

  // What it was comes back, marked, with the reason beside it for a while.
  refuse(why) {
    const entered = this.input.value.trim();
    this.draw();
    this.setAttribute("wrong", "");
    this.input.setAttribute("aria-invalid", "true");
    this.dataset.why = entered ? `${why}, not ${entered}` : why;
    clearTimeout(this.refused);
    this.refused = setTimeout(() => this.accept(), REASON_STAYS);
  }

  accept() {
    clearTimeout(this.refused);
    this.removeAttribute("wrong");
    this.input.removeAttribute("aria-invalid");
    delete this.dataset.why;
  }

  settle(number) {
    if (this.locked) return;
    const kept = this.limited(number);
    this.value = kept; // at once, so that losing the focus after Enter does not send it again
    this.draw();
    this.send("rest", kept);
  }

  send(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail, bubbles: true }));
  }
}

customElements.define("num-field", NumField);
