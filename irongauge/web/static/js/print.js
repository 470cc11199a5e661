// The sheet's print button; what is folded away on the screen is on the paper.
document.addEventListener("alpine:init", () => {
  Alpine.data("printer", () => ({
    print() {
      window.print();
    },
  }));
});
const opened = new Set();
addEventListener("beforeprint", () => {
  for (const fold of document.querySelectorAll(".paper-fold:not([open])")) opened.add(fold);
  for (const fold of opened) fold.open = true;
});
addEventListener("afterprint", () => {
  for (const fold of opened) fold.open = false;
  opened.clear();
});
