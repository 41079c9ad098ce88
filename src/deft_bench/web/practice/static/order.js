// The steps of a day: arrows walk them, Shift with an arrow moves the one in hand; the focus goes along with what was moved.

import { soon } from "./turns.js";

let held = null;
const steps = () => [...document.querySelectorAll("#steps [data-step]")];

document.addEventListener("keydown", (event) => {
  const step = event.target.closest?.("#steps [data-step]");
  if (!step || !["ArrowUp", "ArrowDown"].includes(event.key) || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  const { key, shiftKey } = event;
  soon(() => (shiftKey ? move(key) : walk(key)));
});

const hand = () => document.activeElement?.closest("#steps [data-step]");
const move = (key) => hand()?.querySelector(`[data-way="${key === "ArrowUp" ? "up" : "down"}"]`).click();
function walk(key) {
  const [all, step] = [steps(), hand()];
  const next = step && all[all.indexOf(step) + (key === "ArrowUp" ? -1 : 1)];
  if (!next) return;
  step.tabIndex = -1;
  next.tabIndex = 0;
  next.focus();
}

// which step, and which of its buttons or itself
document.addEventListener("htmx:beforeRequest", () => {
  const at = document.activeElement;
  held = { step: at?.closest("[data-step]")?.dataset.step, way: at?.dataset.way };
});
document.addEventListener("htmx:afterSwap", () => {
  const step = steps().find((one) => one.dataset.step === held?.step);
  if (!step) return;
  steps().forEach((one) => { one.tabIndex = one === step ? 0 : -1; });
  const button = held.way && step.querySelector(`[data-way="${held.way}"]:not(:disabled)`);
  (button || step).focus();
});
