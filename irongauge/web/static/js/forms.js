// A button that only asks for a page sends what was typed, and not the token that writing needs: it would stand in the address.
document.addEventListener("submit", (event) => {
  if (event.submitter?.formMethod !== "get") return;
  const token = event.target.querySelector('input[name="token"]');
  if (!token) return;
  token.disabled = true;
  setTimeout(() => { token.disabled = false; });  // the page may stay, and be sent by another button
});
