// A device's page: its figure as it stands, and the readings of one gap by which its spread is measured.

import { follow } from "/static/js/follow.js";
import { post } from "/static/js/post.js";
import { typist } from "/static/js/typist.js";

const panel = document.querySelector("[data-live]");

function listen() {
  const say = (name, text) => { panel.querySelector(`[data-says="${name}"]`).textContent = text; };
  const form = panel.querySelector("[data-spread]"); // of a gauge alone
  const repeats = Number(panel.dataset.repeats);
  let counted = null;
  let still = null;
  function hear(heard) {
    if (heard.text) say("text", heard.text);
    const now = panel.querySelector("[data-says-value]");
    if (now) now.value = heard.mm ?? "";
    say("words", heard.words || (heard.status !== "live" ? "Listening." : heard.text ? "Live." : "It has said nothing yet."));
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
  panel.querySelector('[data-do="measure"]')?.addEventListener("click", () => { counted = []; say("counted", `0 of ${repeats}`); });
  const trial = panel.querySelector("[data-typed]");
  if (trial) {
    const box = trial.querySelector("input.input");
    trial.addEventListener("submit", (event) => event.preventDefault());
    typist(box, async (line) => {
      const answer = await post(trial.dataset.typed, { line });
      if (!answer.ok) say("words", answer.reply.error ?? "The server does not answer.");
    });
  }
}

if (panel) listen();
