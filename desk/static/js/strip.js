// The right end of the station strip: theme, shortcuts, and what the page says of its saving.
export const strip = () => ({
  turn() {
    const paper = document.documentElement.dataset.bsTheme === "dark";
    document.documentElement.dataset.bsTheme = paper ? "light" : "dark";
    localStorage.setItem("theme", paper ? "paper" : "dusk");
  },
  help() {
    window.dispatchEvent(new CustomEvent("eager:help"));
  },
});

export const keeping = () => ({
  text: "",
  init() {
    window.addEventListener("eager:keeping", (event) => (this.text = event.detail));
  },
});
