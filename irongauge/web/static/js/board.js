// The input board: a function is picked up with the pointer or a key and put down on a pin. The server moves it; this only fills
// the form in.
document.addEventListener("alpine:init", () => {
  Alpine.data("board", () => ({
    take(event) {
      event.dataTransfer.setData("text/plain", event.target.closest("[data-function]").dataset.function);
    },

    over(event) {
      event.preventDefault();
    },

    drop(event) {
      const pin = event.target.closest("[data-pin]");
      const uid = event.dataTransfer.getData("text/plain");
      const chip = [...this.$root.querySelectorAll("[data-function]")].find((one) => one.dataset.function === uid);
      if (!pin || !chip) return;
      event.preventDefault();
      const form = this.$root.querySelector("[data-assign]");
      form.elements.namedItem("function_uid").value = uid;
      form.elements.namedItem("seen").value = chip.dataset.at;
      form.elements.namedItem("at").value = pin.dataset.pin;
      form.submit();
    },
  }));
});
