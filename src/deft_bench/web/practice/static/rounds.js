// A drill in rounds: a number chooses an answer.

import { letters, typing } from "/static/js/typing.js";

document.addEventListener("keydown", (event) => {
  if (!letters || typing(event.target) || event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  const button = document.querySelector(`.choices [data-key="${CSS.escape(event.key)}"]`);
  if (!button) return;
  event.preventDefault();
  button.click();
});
