// Run sheet: cures and open times count down and ring; they are calculated from the record, so a reload or a restart loses none.

import { post } from "/static/js/post.js";
import { awake, tone } from "/static/js/senses.js";

const words = (ms) => {
  const minutes = Math.max(0, Math.ceil(ms / 60000));
  if (minutes >= 2880) return `${(minutes / 1440).toFixed(1)} days left`;
  return minutes < 60 ? `${minutes} min left` : `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")} left`;
};
const rung = new Set();

// the record's clock is the server's: a tablet that runs late still rings in time
const ahead = new Date(document.querySelector("[data-now]").dataset.now) - Date.now();

// frets ticked off within a step: saved at once, with the pace that follows; by key it goes on to the next
document.getElementById("frets")?.addEventListener("click", async (event) => {
  const box = event.target.closest(".fret-tick");
  if (!box) return;
  event.preventDefault();
  const form = box.form;
  const pace = document.getElementById("pace");
  const { ok, reply } = await post(form.action, { step: form.elements.step.value, fret: box.value });
  if (!ok) {
    pace.textContent = reply.error ?? `fret ${box.value} is not saved: try again`;
    return;
  }
  box.setAttribute("aria-pressed", String(reply.ticked));
  document.getElementById("ticked-count").textContent = reply.done;
  pace.textContent = reply.pace;
  if (event.detail === 0) box.nextElementSibling?.focus();
});
let first = true;

function tick() {
  const now = Date.now() + ahead;
  for (const timer of document.querySelectorAll(".timer")) {
    const left = new Date(timer.dataset.ends) - now;
    timer.querySelector(".left-words").textContent = left > 0 ? words(left) : "over";
    timer.classList.toggle("over", left <= 0);
    if (left <= 0 && !rung.has(timer)) {
      rung.add(timer);
      document.title = `${timer.dataset.title}: over`;
      if (!first) tone("over", true); // what was over before the page was opened is only said
    }
  }
  for (const line of document.querySelectorAll(".running")) line.textContent = `running ${words(now - new Date(line.dataset.since)).replace(" left", "")}`;
  first = false;
}

tick();
setInterval(tick, 1000);

// the bench view keeps the screen awake, and fills it when asked
if (document.querySelector("[data-awake]")) awake(true);
const full = document.querySelector("[data-full-screen]");
if (full && document.documentElement.requestFullscreen) {
  full.hidden = false;
  full.addEventListener("click", () => (document.fullscreenElement ? document.exitFullscreen() : document.documentElement.requestFullscreen()));
}
