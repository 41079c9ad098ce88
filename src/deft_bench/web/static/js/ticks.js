// Ticking a table of frets off, as marked or as cut: arrows walk it, Space ticks and steps on. Without this file the buttons do it.

import { post } from "/static/js/post.js";

const table = () => document.querySelector("[data-ticks]");
const boxes = () => [...(table()?.querySelectorAll(".tick-box") ?? [])];

async function toggle(box) {
  const { ok, reply } = await post(table().dataset.ticks, { line: table().dataset.line ?? "", fret: box.value });
  box.closest("td").querySelector(".late")?.remove();
  if (!ok) {
    box.insertAdjacentHTML("afterend", ' <span class="late">not saved</span>');
    return;
  }
  box.setAttribute("aria-pressed", String(reply.ticked));
  box.textContent = reply.ticked ? "✓" : "";
  box.closest("tr").classList.toggle("ticked", reply.ticked);
}

const step = (box, by) => { const all = boxes(); const next = all[Math.min(all.length - 1, Math.max(0, all.indexOf(box) + by))]; for (const one of all) one.tabIndex = one === next ? 0 : -1; next.focus(); };

document.addEventListener("click", (event) => {
  const box = event.target.closest("[data-ticks] .tick-box");
  if (!box) return;
  event.preventDefault();
  toggle(box);
  if (event.detail === 0) step(box, 1); // by key: go on to the next
});

document.addEventListener("keydown", (event) => {
  if (event.target.matches("input, textarea, select") || event.ctrlKey || event.metaKey || event.altKey) return;
  const at = document.activeElement.closest?.("[data-ticks] .tick-box");
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    if (at) step(at, event.key === "ArrowDown" ? 1 : -1);
    else (boxes().find((box) => box.getAttribute("aria-pressed") === "false") ?? boxes()[0])?.focus();
  }
});
