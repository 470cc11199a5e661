// A form that is left for something it lacks (its sensor type is not on the Shelf yet) is there again at the way back. What was
// typed stays in this browser window alone, and is given back once.
document.addEventListener("DOMContentLoaded", () => {
  for (const form of document.querySelectorAll("form[data-draft]")) {
    const key = `draft ${location.pathname}`;
    const kept = sessionStorage.getItem(key);
    if (kept) {
      sessionStorage.removeItem(key);
      for (const [name, value] of Object.entries(JSON.parse(kept))) {
        const field = form.elements.namedItem(name);
        if (field && "value" in field) field.value = value;
      }
      form.querySelector("[data-given-back]")?.removeAttribute("hidden");
      form.dispatchEvent(new Event("change", { bubbles: true }));
    }
    for (const link of form.querySelectorAll("a[data-comes-back]")) {
      link.addEventListener("click", () => {
        const typed = [...new FormData(form)].filter(([name, value]) => name !== "token" && typeof value === "string");
        sessionStorage.setItem(key, JSON.stringify(Object.fromEntries(typed)));
      });
    }
  }
});
