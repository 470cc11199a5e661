// The sensor form shows the figures of the chosen kind of wiring only; without scripts it shows them all.
document.addEventListener("alpine:init", () => {
  Alpine.data("sensor", () => ({
    init() {
      this.show();
    },

    show() {
      const family = this.$root.querySelector('[name="family"]').value;
      for (const set of this.$root.querySelectorAll("[data-for]")) {
        set.hidden = !set.dataset.for.split(" ").includes(family);
      }
    },
  }));
});
