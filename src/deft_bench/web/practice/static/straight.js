// The rod drill's keys: Enter reads, 0 lets it settle; 1 2 loosen a quarter and an eighth, 3 4 tighten an eighth and a quarter.

import { typing } from "/static/js/typing.js";
import { soon } from "./turns.js";

const KEYS = { Enter: "read", 0: "wait", 1: "-2", 2: "-1", 3: "1", 4: "2" };

document.addEventListener("keydown", (event) => {
  if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
  if (event.key === "Enter" && event.target.closest("button, a, summary")) return;
  event.preventDefault();
  soon(() => document.querySelector(`[data-do="${KEYS[event.key]}"]`)?.click());
});
