// While an act is on its way the stage is about to be drawn again: what is done meanwhile waits its turn, in order, and is lost to nobody. A hand-in
// waits too, so that it ends no attempt whose last act is not in yet.

const STAGE = "#stage-part, #steps";
const BUTTONS = "main form button";

let out = null; // the request whose answer draws the stage
const waiting = [];

// does it now, or when the stage stands again
export const soon = (act) => { if (out) waiting.push(act); else act(); };

function answered(request) {
  if (!out || out !== request) return;
  out = null;
  while (waiting.length && !out) waiting.shift()();
}

document.addEventListener("htmx:beforeRequest", ({ detail }) => { if (detail.target?.matches?.(STAGE)) out = detail.xhr; });
document.addEventListener("htmx:afterSettle", ({ detail }) => answered(detail.xhr));
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.xhr === out && !detail.successful) waiting.length = 0; // it was meant for after an act that was not done
  setTimeout(() => answered(detail.xhr), 200); // an answer that draws nothing, or none at all
});

// what tells a button from others: where its form goes, what that says beside, and its own name and value
function sign(button) {
  const beside = [...button.form.querySelectorAll("input[type=hidden]")].filter((one) => one.name !== "csrf_token");
  return JSON.stringify([button.form.getAttribute("action"), ...beside.map((one) => [one.name, one.value]), button.name, button.value]);
}

// the same button on the stage as it is drawn by then
const again = (signed) => [...document.querySelectorAll(BUTTONS)].find((one) => sign(one) === signed)?.click();

document.addEventListener("click", (event) => {
  const button = event.isTrusted && out && event.target.closest?.(BUTTONS);
  if (!button) return;
  event.preventDefault();
  event.stopPropagation();
  const signed = sign(button);
  waiting.push(() => again(signed));
}, true);
