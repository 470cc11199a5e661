// Light or dark: the system's choice until somebody switches, then that, on this device. Runs before the first paint.
(() => {
  const system = window.matchMedia("(prefers-color-scheme: dark)");
  const stored = () => { try { return localStorage.getItem("theme"); } catch { return null; } };
  const show = () => {
    const theme = stored() || (system.matches ? "dark" : "light");
    document.documentElement.dataset.bsTheme = theme;
    const word = document.querySelector("[data-theme-word]");
    if (word) word.textContent = theme === "dark" ? "Light" : "Dark";
  };
  show();
  system.addEventListener("change", show);
  document.addEventListener("DOMContentLoaded", () => {
    show();
    document.querySelector("[data-theme-switch]").addEventListener("click", () => {
      const next = document.documentElement.dataset.bsTheme === "dark" ? "light" : "dark";
      try { localStorage.setItem("theme", next); } catch { /* private mode: the choice lasts for this page */ }
      document.documentElement.dataset.bsTheme = next;
      show();
    });
  });
})();
