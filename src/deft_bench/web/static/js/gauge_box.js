// A gauge at a single box: what it says stands beside it, and is sent by a pedal, or when it stands still while the box has the focus, as it has where the
// page asks for a reading. What is being typed by hand goes before it.

import { follow } from "/static/js/follow.js";

const live = document.querySelector("[data-gauge-box]");
const box = live && document.querySelector(live.dataset.gaugeBox);
let heard = null;
let still = null;
const say = (name, text) => { live.querySelector(`[data-gauge-says="${name}"]`).textContent = text; };

function take() {
  const { least, most } = live.dataset;
  if (document.hidden || !heard?.typed || heard.status !== "live" || heard.mm < Number(least) || heard.mm > Number(most)) return;
  if (box.value && !box.hasAttribute("aria-invalid")) return;
  box.value = heard.typed;
  box.form.elements.gauge.value = live.dataset.device;
  box.form.requestSubmit();
}

function hear(said) {
  heard = said;
  say("text", heard.text || "–");
  say("words", heard.words);
  live.classList.toggle("wrong-words", Boolean(heard.words));
  const stands = still !== null && heard.still !== still;
  still = heard.still;
  if (stands && live.dataset.whenStill && document.activeElement === box) take();
}

if (live) {
  follow(live.dataset.gauge, { heard: hear, lost: () => { heard = null; say("text", "–"); say("words", "The gauge is not heard: the server does not answer."); } });
  let pressed = null;
  const press = () => { if (box.value) box.form.requestSubmit(); else take(); };
  if (live.dataset.pedal) follow(live.dataset.pedal, { heard: (said) => { if (pressed !== null && said.still !== pressed) press(); pressed = said.still; } });
}
