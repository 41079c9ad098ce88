// The steps of a day: arrows walk them, Shift with an arrow moves the one in hand; the focus goes along with what was moved.

let held = null;
const steps = () => [...document.querySelectorAll("#steps [data-step]")];

document.addEventListener("keydown", (event) => {
  const step = event.target.closest?.("#steps [data-step]");
  if (!step || !["ArrowUp", "ArrowDown"].includes(event.key) || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  const way = event.key === "ArrowUp" ? "up" : "down";
  if (event.shiftKey) {
    step.querySelector(`[data-way="${way}"]`).click();
    return;
  }
  const all = steps();
  const next = all[all.indexOf(step) + (way === "up" ? -1 : 1)];
  if (!next) return;
  step.tabIndex = -1;
  next.tabIndex = 0;
  next.focus();
});

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
