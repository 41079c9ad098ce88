// A gauge in a survey: its figure stands large beside the entry. Enter on an empty box takes it, a pedal does, and so does its standing still, where that
// is set. One that reads against the first place of each lane has its drift looked at when the lane is read.

import { follow } from "/static/js/follow.js";
import { post } from "/static/js/post.js";
import { typist } from "/static/js/typist.js";

const root = document.getElementById("survey");
const live = document.querySelector("[data-gauge]");
const pedal = document.querySelector("[data-pedal]");
const form = document.getElementById("entry");
const box = document.getElementById("reading");
const accept = form.querySelector(".entry-actions .button:not([data-answer]):not([data-blade])");
let heard = null;
let still = null;

const say = (name, text) => { if (live) live.querySelector(`[data-gauge-says="${name}"]`).textContent = text; };
let own = ""; // what this page says of the gauge, until it is next taken; what the gauge is said to suffer from goes before it
let ails = "";
const show = () => { say("words", ails || own); live?.classList.toggle("wrong-words", Boolean(ails)); };
const tell = (text) => { own = text; show(); };
const cellsOf = (lane) => [...root.querySelectorAll(`.cell[data-lane="${lane}"]`)];
const nameOf = (lane) => root.querySelector(`.cell[data-lane="${lane}"]`).closest("tr").dataset.name ?? lane;

// What the gauge said of each lane, as it said it: the first of them is the reference.
const store = `gauge-${root.dataset.survey}`;
const lanes = JSON.parse(sessionStorage.getItem(store) || "{}");
let checking = null;
const keep = () => sessionStorage.setItem(store, JSON.stringify(lanes));

function enter(text) {
  box.value = text;
  form.requestSubmit(accept);
}

function take() {
  if (!heard?.typed || heard.status !== "live") return false;
  if (!checking) tell("");
  if (!live.dataset.reference) { enter(heard.typed); return true; }
  if (checking) { check(); return true; }
  const lane = form.elements.lane.value;
  const fret = form.elements.fret.value;
  lanes[lane] ??= [];
  if (lanes[lane][0]?.fret === fret) lanes[lane] = []; // the first place read again is a new reference
  lanes[lane] = lanes[lane].filter((one) => one.fret !== fret);
  lanes[lane].push({ fret, mm: heard.mm, at: Date.now() / 1000 });
  keep();
  enter(`${(heard.mm - lanes[lane][0].mm).toFixed(4)} mm`);
  if (lanes[lane].length === cellsOf(lane).length) {
    checking = lane;
    tell(`Set it on fret ${lanes[lane][0].fret}, ${nameOf(lane)}, again: its drift is looked at.`);
  }
  return true;
}

async function check() {
  const lane = checking;
  const read = lanes[lane];
  checking = null;
  const again = [Date.now() / 1000, heard.mm];
  const answer = await post(live.dataset.reference, { read: JSON.stringify(read.map((one) => [one.at, one.mm])), again: JSON.stringify(again) });
  if (answer.status === 0 || answer.status >= 500) { checking = lane; tell("The server does not answer: set it there again."); return; }
  const readings = answer.ok
    ? (answer.reply.mended ?? []).map((mm, i) => ({ lane, fret: read[i].fret, reading: `${mm.toFixed(4)} mm` })).slice(1)
    : read.map((one) => ({ lane, fret: one.fret, withdraw: "1", reading: "" }));
  root.dispatchEvent(new CustomEvent("gauge-mends", { detail: readings }));
  delete lanes[lane];
  keep();
  tell(answer.ok ? `${nameOf(lane)}: ${readings.length ? "its drift is taken out." : "no drift."}` : `${nameOf(lane)}: ${answer.reply.error}`);
}

// what no place of this survey can read is the gauge on its way
function within() {
  const lane = lanes[form.elements.lane.value];
  if (checking) return true;
  // what was read is replaced by Enter, the pedal or the gauge's button, not by a gauge that lies there
  if (form.elements.expects.value && live.dataset.whenStill === "still") return false;
  if (live.dataset.reference && !lane?.length) return true;
  const mm = heard.mm - (live.dataset.reference ? lane[0].mm : 0);
  return mm >= Number(live.dataset.least) && mm <= Number(live.dataset.most);
}

const free = () => !document.hidden && (!box.value || box.hasAttribute("aria-invalid")); // what is being typed by hand is not overwritten

function hear(said) {
  heard = said;
  say("text", heard.text || "–");
  ails = heard.words;
  show();
  const stands = still !== null && heard.still !== still;
  still = heard.still;
  if (stands && "whenStill" in live.dataset && free() && within()) take();
}

function lost() {
  heard = null; // what is not heard any more is not taken
  say("text", "–");
  ails = "The gauge is not heard: the server does not answer.";
  show();
}

if (live) {
  follow(live.dataset.gauge, { heard: hear, lost });
  if (live.dataset.typed) {
    typist(box, async (line) => {
      const answer = await post(live.dataset.typed, { line });
      if (!answer.ok) tell(answer.reply.error ?? "The server does not answer.");
    });
  }
  box.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || box.value || event.ctrlKey || event.metaKey || event.altKey) return;
    if (take()) { event.preventDefault(); event.stopImmediatePropagation(); }
  }, { capture: true });
}

// a pedal accepts: what is typed, or else what the gauge says
const press = () => { if (box.value || !live || !take()) form.requestSubmit(accept); };
if (pedal?.dataset.pedalLive) {
  let pressed = null;
  follow(pedal.dataset.pedalLive, { heard: (said) => { if (pressed !== null && said.still !== pressed) press(); pressed = said.still; } });
} else if (pedal?.dataset.pedal) {
  const which = pedal.dataset.pedal === "Space" ? " " : pedal.dataset.pedal;
  document.addEventListener("keydown", (event) => {
    if (event.key !== which) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (!event.repeat) press();
  }, { capture: true });
}
