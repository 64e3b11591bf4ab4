// Before anything is drawn: the theme chosen last. A classic script, so that the page never flashes.
document.documentElement.dataset.bsTheme = localStorage.getItem("theme") === "light" ? "light" : "dark";
