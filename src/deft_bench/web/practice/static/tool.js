// On a practice neck a survey's tool answers: k, or its button, reads the place that the cursor is on. A stand-in gauge is set down there, and taken
// as any gauge is.

import { letters, typing } from "/static/js/typing.js";

const button = document.querySelector("[data-tool]");
const form = document.getElementById("entry");
const box = document.getElementById("reading");

async function read() {
  const place = new URLSearchParams({ lane: form.elements.lane.value, fret: form.elements.fret.value });
  if (document.querySelector("[data-gauge]")) place.set("gauge", "1");
  const answer = await fetch(`${button.dataset.tool}?${place}`).catch(() => null);
  const typed = answer?.ok ? (await answer.json()).typed : null;
  if (typed === null) return;
  const key = form.querySelector(`[data-answer="${CSS.escape(typed)}"]`);
  if (key) { key.click(); return; }
  box.value = typed;
  form.requestSubmit(form.querySelector(".entry-actions .button:not([data-answer]):not([data-blade])"));
}

button.hidden = false;
button.addEventListener("click", read);
document.addEventListener("keydown", (event) => {
  if (event.key !== "k" || !letters || event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  if (typing(event.target) && event.target !== box) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  read();
}, true);
