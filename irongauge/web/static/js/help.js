// `?` opens the guide's page of the place where one stands, over the page: what was typed there stays. Where the Bench lists its
// keys at `?`, the guide is a link in that list.
document.addEventListener("DOMContentLoaded", () => {
  const dialog = document.querySelector("[data-help-dialog]");
  if (!dialog?.showModal) return; // the links lead to the guide itself

  const open = async (address) => {
    const answer = await fetch(address).catch(() => null);
    const page = answer?.ok ? new DOMParser().parseFromString(await answer.text(), "text/html") : null;
    const article = page?.querySelector(".guide-page");
    if (!article) {
      location.assign(address);
      return;
    }
    dialog.querySelector("[data-help-text]").replaceChildren(article);
    dialog.querySelector("[data-help-all]").href = address;
    dialog.showModal();
    dialog.scrollTop = 0;
  };

  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-help-close]")) dialog.close();
    const link = event.target.closest("[data-help]");
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    open(link.href);
  });
  document.addEventListener("keydown", (event) => {
    const typing = /^(TEXTAREA|SELECT)$/.test(event.target.tagName) || (event.target.tagName === "INPUT" && event.target.value !== "");
    if (event.key !== "?" || event.ctrlKey || event.metaKey || typing || document.querySelector("[data-own-keys]")) return;
    event.preventDefault();
    if (dialog.open) dialog.close();
    else document.querySelector("[data-help]")?.click();
  });
});
