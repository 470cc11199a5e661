// The sheet's print button.
document.addEventListener("alpine:init", () => {
  Alpine.data("printer", () => ({
    print() {
      window.print();
    },
  }));
});
