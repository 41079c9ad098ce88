// Keys that work on every screen: / find, ? help, g then a letter, s the step in hand. Settings can switch single letters off.

import { letters, typing } from "/static/js/typing.js";

document.documentElement.classList.add("scripted");
const dialog = document.getElementById("keys");
const GO_MS = 1500;
let going = 0;

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if (!letters && /^[a-z?/]$/i.test(event.key)) {
    if (event.target.id !== "reading") event.stopImmediatePropagation();
    return;
  }
  if (going) {
    clearTimeout(going);
    going = 0;
    const tab = document.querySelector(`.tab[data-go="${CSS.escape(event.key)}"]`);
    if (tab) { event.preventDefault(); event.stopPropagation(); tab.click(); }
    return;
  }
  if (event.key === "/") { event.preventDefault(); (document.getElementById("q") || document.getElementById("find"))?.focus(); }
  else if (event.key === "?") { event.preventDefault(); dialog.showModal(); }
  else if (event.key === "s" && document.querySelector("[data-step-key]")) { event.preventDefault(); document.querySelector("[data-step-key]").click(); }
  else if (event.key === "g") { event.preventDefault(); event.stopPropagation(); going = setTimeout(() => { going = 0; }, GO_MS); }
}, true);

// the page may have moved on without loading: come back to where it is now, with its choices
document.querySelector("form.units")?.addEventListener("submit", (event) => {
  event.target.elements.back.value = location.pathname + location.search;
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
  if (event.target.closest("[data-show-keys]")) { event.preventDefault(); dialog.showModal(); }
});
