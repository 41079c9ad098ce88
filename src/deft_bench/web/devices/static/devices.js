// A device's page: its figure as it stands, and the readings of one gap by which its spread is measured.

import { follow } from "/static/js/follow.js";

const panel = document.querySelector("[data-live]");

function listen() {
  const say = (name, text) => { panel.querySelector(`[data-says="${name}"]`).textContent = text; };
  const form = panel.querySelector("[data-spread]");
  const repeats = Number(panel.dataset.repeats);
  let counted = null;
  let still = null;
  function hear(heard) {
    if (heard.text) say("text", heard.text);
    say("words", heard.words || (heard.status === "live" ? "Live." : "Listening."));
    if (still !== null && heard.still !== still && counted && heard.mm !== null) {
      counted.push(heard.mm);
      say("counted", `${counted.length} of ${repeats}`);
      if (counted.length === repeats) {
        for (const mm of counted) form.append(Object.assign(document.createElement("input"), { type: "hidden", name: "mm", value: mm }));
        form.submit();
      }
    }
    still = heard.still;
  }
  follow(panel.dataset.live, { heard: hear, lost: () => say("words", "The server does not answer.") });
  panel.querySelector('[data-do="measure"]').addEventListener("click", () => { counted = []; say("counted", `0 of ${repeats}`); });
}

if (panel) listen();
