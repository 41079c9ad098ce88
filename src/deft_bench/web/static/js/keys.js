// Keys that work on every screen: / find, ? all keys, g then a letter, s the step in hand, x and arrows on a neck that takes them.

document.documentElement.classList.add("scripted");
const dialog = document.getElementById("keys");
let going = false;

const typing = (target) =>
  target.matches?.("input:not([type=checkbox]):not([type=radio]), textarea, select") && !(target.id === "reading" && !target.value);

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if (going) {
    going = false;
    const tab = document.querySelector(`.tab[data-go="${CSS.escape(event.key)}"]`);
    if (tab) { event.preventDefault(); event.stopPropagation(); tab.click(); }
    return;
  }
  if (event.key === "/") { event.preventDefault(); (document.getElementById("q") || document.getElementById("find"))?.focus(); }
  else if (event.key === "?") { event.preventDefault(); dialog.showModal(); }
  else if (event.key === "s" && document.querySelector("[data-step-key]")) { event.preventDefault(); document.querySelector("[data-step-key]").click(); }
  else if (event.key === "g") { event.preventDefault(); event.stopPropagation(); going = true; }
}, true);

// the page may have moved on without loading: come back to where it is now, with its choices
document.querySelector("form.units")?.addEventListener("submit", (event) => {
  event.target.elements.back.value = location.pathname + location.search;
});

document.addEventListener("click", (event) => { if (event.target.closest("[data-print]")) window.print(); });
