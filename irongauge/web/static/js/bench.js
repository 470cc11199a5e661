// The Bench by keyboard: puts the cursor in the asked field, answers the lamp with one key, shows the list of keys.
document.addEventListener("alpine:init", () => {
  Alpine.data("bench", () => ({
    shown: false,

    init() {
      const first = this.$root.querySelector("[data-first]");
      const wrong = this.$root.querySelector('[aria-invalid="true"]');
      const field = wrong || first;
      if (!field) return;
      field.focus();
      if (field.select) field.select();
    },

    toggle() {
      this.shown = !this.shown;
    },

    press(event) {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === "?") {
        event.preventDefault();
        this.toggle();
        return;
      }
      const key = event.key.toLowerCase();
      const typing = event.target.matches("select, textarea") || (event.target.matches("input") && event.target.value !== "");
      if (typing || key.length !== 1 || !/[a-z]/.test(key)) return;
      const target = this.$root.querySelector(`[data-key="${key}"]`);
      if (!target) return;
      event.preventDefault();
      target.click();
    },
  }));

  // What the bus shows beside the field is asked for again as long as the page is seen.
  Alpine.data("busLine", () => ({
    init() {
      setInterval(() => document.hidden || this.look(), 1000);
    },

    async look() {
      const answer = await fetch(this.$root.dataset.now).catch(() => null);
      const told = answer?.ok ? await answer.json() : { text: "The bus cannot be asked now.", is_fresh: false };
      const said = this.$root.querySelector("[data-said]");
      said.textContent = told.text;
      said.classList.toggle("soft", !told.is_fresh);
    },
  }));
});
