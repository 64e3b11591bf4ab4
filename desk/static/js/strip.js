// The right end of the station strip: theme, keys, and what the page says of its saving.
export const strip = () => ({
  init() {
    window.addEventListener("keydown", (event) => {
      const typing = /** @type {Element} */ (event.target).closest("input:not([type=checkbox]), select, textarea");
      if (event.key === "?" && !typing && !document.querySelector("dialog[open]")) this.help();
    });
  },
  turn() {
    const paper = document.documentElement.dataset.bsTheme === "dark";
    document.documentElement.dataset.bsTheme = paper ? "light" : "dark";
    localStorage.setItem("theme", paper ? "light" : "dark");
  },
  help() {
    window.dispatchEvent(new CustomEvent("eager:help"));
  },
});

export const keysSheet = () => ({
  init() {
    window.addEventListener("eager:help", () => this.$el.showModal());
  },
  tour() {
    window.dispatchEvent(new CustomEvent("eager:tour"));
  },
});

export const keeping = () => ({
  text: "",
  init() {
    window.addEventListener("eager:keeping", (event) => (this.text = /** @type {CustomEvent} */ (event).detail));
  },
});
