// The drill's keys: 1 the harmonic, 2 fretted, 3 both together; + and − move the saddle half a millimetre back and forward.

import { typing } from "/static/js/typing.js";
import { soon } from "./turns.js";

const KEYS = { 1: "harmonic", 2: "fretted", 3: "both", "+": "0.5", "-": "-0.5" };

document.addEventListener("keydown", (event) => {
  if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
  event.preventDefault();
  soon(() => document.querySelector(`#stage-part [value="${KEYS[event.key]}"]`)?.click());
});
