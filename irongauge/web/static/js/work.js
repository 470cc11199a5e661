// The order of the work: a bar is dragged to a time or to somebody else's lane, and a better plan is looked for while the page is open.
document.addEventListener("alpine:init", () => {
  Alpine.data("work", () => ({
    isLooking: false,
    said: "",

    init() {
      this.said = this.$root.querySelector("[aria-live]")?.textContent.trim() ?? "";
      const svg = this.$root.querySelector("[data-lanes]");
      svg?.addEventListener("pointerdown", (event) => this.grab(svg, event));
    },

    async toggle() {
      this.isLooking = !this.isLooking;
      let looks = 0;
      let found = false;
      while (this.isLooking) {
        const form = this.$root.querySelector("[data-better]");
        const answer = await fetch(form.action, { method: "POST", body: new FormData(form) });
        if (!answer.ok) {
          this.said = "No plan could be looked for: load the page again.";
          break;
        }
        const told = await answer.json();
        looks += 1;
        found = found || told.better;
        this.said = found
          ? `A better plan: ${told.changes_min} min of changes.`
          : `Looked ${looks} time${looks > 1 ? "s" : ""}; none is better yet.`;
        if (told.best || looks >= 12) break;
      }
      this.isLooking = false;
      if (found) location.reload();
    },

    grab(svg, event) {
      const bar = event.target.closest("[data-step]");
      if (!bar || event.button !== 0) return;
      const from = this.place(svg, event);
      let moved = false;
      const move = (next) => {
        const to = this.place(svg, next);
        moved = moved || Math.hypot(to.x - from.x, to.y - from.y) > 6;
        if (moved) bar.setAttribute("transform", `translate(${to.x - from.x} ${to.y - from.y})`);
      };
      const drop = (last) => {
        svg.removeEventListener("pointermove", move);
        if (!moved) return;
        svg.addEventListener("click", (click) => click.preventDefault(), { capture: true, once: true });
        this.put(svg, bar, from, this.place(svg, last));
      };
      event.preventDefault();
      svg.addEventListener("pointermove", move);
      addEventListener("pointerup", drop, { once: true });
    },

    place(svg, event) {
      return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    },

    put(svg, bar, from, to) {
      const rect = bar.querySelector("rect");
      const x = Number(rect.getAttribute("x")) + to.x - from.x + Number(bar.dataset.change);
      const day = [...svg.querySelectorAll("[data-day]")].find(
        (one) => x >= Number(one.dataset.x) && x <= Number(one.dataset.x) + Number(one.dataset.width),
      );
      const lane = [...svg.querySelectorAll("[data-lane]")].filter((one) => Number(one.dataset.y) <= to.y).at(-1);
      if (!day || !lane) {
        bar.removeAttribute("transform");
        return;
      }
      const minute = Number(day.dataset.first) + (x - Number(day.dataset.x)) / Number(day.dataset.per);
      const start = new Date(`${svg.dataset.start}Z`);
      const at = new Date(start.getTime() + 5 * Math.round(minute / 5) * 60000);
      const form = this.$root.querySelector("[data-pin]");
      form.elements.namedItem("key").value = bar.dataset.step;
      form.elements.namedItem("at").value = at.toISOString().slice(0, 16);
      form.elements.namedItem("only_uid").value = lane.dataset.lane;
      form.submit();
    },
  }));
});
