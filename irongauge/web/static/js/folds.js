// What a person has folded open stays open on this device, on every page that folds the same away.
document.addEventListener("DOMContentLoaded", () => {
  for (const fold of document.querySelectorAll("details[data-remember]")) {
    const key = `open ${fold.dataset.remember}`;
    if (localStorage.getItem(key)) fold.open = true;
    fold.addEventListener("toggle", () => (fold.open ? localStorage.setItem(key, "yes") : localStorage.removeItem(key)));
  }
});
