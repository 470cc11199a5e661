// A form that is left for something it lacks (its sensor type is not on the Shelf yet, nor is oneself) is there again at the way back. What was
// typed stays in this browser window alone, and is given back once.
document.addEventListener("DOMContentLoaded", () => {
  for (const form of document.querySelectorAll("form[data-draft]")) {
    const key = `draft ${form.dataset.draft || location.pathname}`;
    const kept = sessionStorage.getItem(key);
    if (kept) {
      sessionStorage.removeItem(key);
      for (const [name, value] of Object.entries(JSON.parse(kept))) {
        const field = form.elements.namedItem(name);
        if (!value || !field || !("value" in field) || field.type === "hidden") continue; // what the way back chose stays
        if (field.type === "checkbox") field.checked = field.value === value;
        else field.value = value;
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
