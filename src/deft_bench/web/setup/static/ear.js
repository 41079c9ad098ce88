// The machine's ear: one key confirms the note that is asked about.

import { typing } from "/static/js/typing.js";

document.addEventListener("keydown", (event) => {
  if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
  const button = document.querySelector(`[data-ear="${CSS.escape(event.key)}"]`);
  if (!button) return;
  event.preventDefault();
  button.click();
});
