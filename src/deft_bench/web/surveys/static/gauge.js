// A gauge in a survey: its figure stands large beside the entry; Enter on an empty box takes it, and so does its standing still, where that is set.

import { follow } from "/static/js/follow.js";

const live = document.querySelector("[data-gauge]");
const form = document.getElementById("entry");
const box = document.getElementById("reading");
const figure = live.querySelector('[data-gauge-says="text"]');
const words = live.querySelector('[data-gauge-says="words"]');
let heard = null;
let still = null;

function take() {
  if (!heard?.typed || heard.status !== "live") return false;
  box.value = heard.typed;
  form.requestSubmit(form.querySelector(".entry-actions .button"));
  return true;
}

function hear(said) {
  heard = said;
  figure.textContent = heard.text || "–";
  words.textContent = heard.words;
  live.classList.toggle("wrong-words", Boolean(heard.words));
  const stands = still !== null && heard.still !== still;
  still = heard.still;
  // what is being typed by hand is not overwritten
  if (stands && "whenStill" in live.dataset && !document.hidden && (!box.value || box.hasAttribute("aria-invalid"))) take();
}

function lost() {
  heard = null; // what is not heard any more is not taken
  figure.textContent = "–";
  words.textContent = "The gauge is not heard: the server does not answer.";
}

follow(live.dataset.gauge, { heard: hear, lost });

box.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || box.value || event.ctrlKey || event.metaKey || event.altKey) return;
  if (take()) { event.preventDefault(); event.stopImmediatePropagation(); }
}, { capture: true });
