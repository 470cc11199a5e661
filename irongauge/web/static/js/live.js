// A form whose results follow what is typed: after a short pause the same page is asked for again, and the parts marked
// data-live are morphed into those of the answer. Nothing is computed in the browser, and without scripts the button does it.
//
// An answer belongs to what stood in the fields when it was asked for. Any key makes every answer that is still on its way
// too late, so none can empty or change a field that was typed into meanwhile.
document.addEventListener("alpine:init", () => {
  Alpine.data("live", () => ({
    timer: 0,
    asked: 0,

    init() {
      this.pick();
      const field = this.$root.querySelector('[aria-invalid="true"]') || this.$root.querySelector("[data-first]");
      if (field) {
        field.focus();
        if (field.select) field.select();
      }
    },

    // Of several sets of fields, only those of what was chosen are shown; those to be dropped are not sent either.
    pick() {
      for (const set of this.$root.querySelectorAll("[data-for]")) {
        const choice = this.$root.querySelector(set.dataset.of ? `[name="${set.dataset.of}"]` : '[data-chooses], [name="family"]');
        const chosen = choice.selectedOptions?.[0]?.dataset.kind ?? choice.value;
        set.hidden = !set.dataset.for.split("|").includes(chosen);
        if ("drop" in set.dataset) set.disabled = set.hidden;
      }
    },

    changed(event) {
      this.pick();
      this.touched(event);
    },

    touched(event) {
      if (event.target.matches("[data-reload]")) {
        location.assign(this.address());
        return;
      }
      this.note(event.target);
      if (!this.$root.querySelector("[data-live]")) return;
      this.forget();
      this.timer = setTimeout(() => this.ask(), 160);
    },

    // Which field a person typed last; where all are asked for, each that was typed, the newest last, and an emptied one follows
    // the others again.
    note(field) {
      const from = this.$root.querySelector("[data-from]");
      const side = field.dataset.side;
      if (!from || !side) return;
      if (from.dataset.from !== "all") {
        from.value = side;
        return;
      }
      const mine = from.value.split(" ").filter((name) => name && name !== side);
      from.value = [...mine, ...(field.value.trim() ? [side] : [])].join(" ");
    },

    // Whatever is still on its way was asked before this key.
    forget() {
      clearTimeout(this.timer);
      this.asked += 1;
    },

    form() {
      return this.$root.matches("form") ? this.$root : this.$root.querySelector("form");
    },

    // Where the same page shows what stands in the fields now.
    address() {
      const form = this.form();
      const address = new URL(form.dataset.look || form.action, location.href);
      for (const [name, value] of new FormData(form)) {
        if (name !== "token" && typeof value === "string") address.searchParams.set(name, value);
      }
      return address;
    },

    // What stands in the form, without files that only matter once it is kept.
    typed(form) {
      const typed = new FormData(form);
      for (const field of form.querySelectorAll("[data-not-looked]")) typed.delete(field.name);
      return typed;
    },

    async ask() {
      const form = this.form();
      const mine = ++this.asked;
      const posts = form.dataset.lookMethod === "post";
      const address = posts ? form.dataset.look : this.address();
      let answer;
      try {
        answer = await fetch(address, posts ? { method: "POST", body: this.typed(form) } : {});
      } catch {
        return; // the connection is gone for a moment: what stands here stays, and the next key asks again
      }
      if (mine !== this.asked) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      for (const part of this.$root.querySelectorAll("[data-live]")) {
        const fresh = page.getElementById(part.id);
        if (fresh) Alpine.morph(part, fresh.outerHTML);
      }
      for (const field of this.$root.querySelectorAll("[data-mirror]")) {
        const fresh = page.getElementById(field.id);
        if (!fresh) continue;
        field.className = fresh.className;
        field.placeholder = fresh.placeholder;
        if (field !== document.activeElement) field.value = fresh.value;
      }
      if (form.method === "get" && answer.ok) history.replaceState(null, "", address);
    },

    // Enter goes to the next field that is still empty, and takes the whole once there is none.
    step(event) {
      const empty = [...this.form().querySelectorAll("[data-step]")].find((field) => field.value === "" && field !== event.target);
      if (!event.target.matches("[data-step]") || event.target.value === "" || !empty) return;
      event.preventDefault();
      empty.focus();
    },

    async copy(event) {
      const button = event.currentTarget;
      try {
        await navigator.clipboard.writeText(button.dataset.copy);
      } catch {
        // A page that came without encryption has no clipboard of its own: the text is copied from a field.
        const field = document.createElement("textarea");
        field.value = button.dataset.copy;
        button.append(field);
        field.select();
        document.execCommand("copy");
        field.remove();
      }
      button.querySelector("[data-word]").textContent = "copied";
    },

    print() {
      window.print();
    },
  }));
});
