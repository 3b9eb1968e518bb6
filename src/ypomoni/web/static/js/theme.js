// Light or dark, set before the page is painted. The choice is kept in this browser.
(() => {
  const root = document.documentElement;
  const dark = window.matchMedia("(prefers-color-scheme: dark)");
  const kept = () => localStorage.getItem("ypomoni-theme");
  const apply = () => { root.dataset.theme = kept() || (dark.matches ? "dark" : "light"); };
  apply();
  dark.addEventListener("change", apply);
  document.addEventListener("click", (event) => {
    if (!event.target.closest("#theme")) return;
    localStorage.setItem("ypomoni-theme", root.dataset.theme === "dark" ? "light" : "dark");
    apply();
  });
})();
