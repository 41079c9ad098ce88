// Playing it through: the microphone's sound goes up in pieces while it is played, and every answer says what was found in it.

import { standIn } from "./stand_in.js";
import { canListen, microphone, why } from "/static/js/microphone.js";
import { post } from "/static/js/post.js";
import { awake, say as speak, tone } from "/static/js/senses.js";
import { typing } from "/static/js/typing.js";

const root = document.getElementById("play");
const part = (name) => root.querySelector(`[data-play="${name}"]`);
const button = (name) => root.querySelector(`[data-do="${name}"]`);
const csrf = root.querySelector('input[name="csrf_token"]').value;
const PIECE = 0.2; // seconds of sound that go up at once
const WAITS = 400; // pieces that are kept while the server does not answer: over a minute
const LAST = 6;
const QUIET = 0.003;
const SILENT = 10; // seconds

let pass = null; // where this pass's pieces go
let pieces = []; // what waits to go up, each with its number
let next = 0;
let told = 0;
let sending = false;
let stop = null;
let asked = part("ask").dataset.at; // the note that is asked for, by its code

const tell = (text, wrong = false) => { part("said").textContent = text; part("said").classList.toggle("wrong-words", wrong); };
const cellOf = (code) => root.querySelector(`[data-note="${code}"]`);

function show(state) {
  asked = state.at;
  part("ask").textContent = state.ask[0].toUpperCase() + state.ask.slice(1) + (state.hz ? `: about ${state.hz} Hz` : "");
  part("left").textContent = state.left;
  part("seconds").textContent = `${Math.floor(state.seconds / 60)}:${String(Math.floor(state.seconds % 60)).padStart(2, "0")}`;
  root.querySelector("td.now")?.classList.remove("now");
  const at = state.at && cellOf(state.at)?.closest("td");
  if (at) {
    at.classList.add("now");
    const wrap = at.closest(".scroll-x");
    wrap.scrollLeft = at.offsetLeft - wrap.clientWidth / 2;
  }
  for (const one of state.told) {
    if (one.number < told) continue;
    told = one.number + 1;
    list(one);
    if (one.kept) {
      for (const [code, cents] of Object.entries(one.cents)) if (cellOf(code)) cellOf(code).textContent = cents;
      if (!one.cents[one.code]) cellOf(one.code).textContent = one.code.includes("open") ? one.hz : one.words.split(", ")[1].replace(" cents", "");
      tell(`${one.where[0].toUpperCase()}${one.where.slice(1)}: ${one.words}, ±${one.sd}.${one.buzz ? ` ${one.buzz}: it is asked about on Buzz.` : ""}`);
      tone("accepted");
      speak(state.ask);
    } else {
      tell(one.words, true);
      tone("refused");
    }
  }
}

function list(one) {
  const row = document.createElement("li");
  row.append(Object.assign(document.createElement("span"), { textContent: one.kept ? `${one.where}: ${one.words} ` : `${one.words} ` }));
  if (one.buzz) row.append(Object.assign(document.createElement("strong"), { textContent: `${one.buzz} ` }));
  const again = Object.assign(document.createElement("button"), { type: "button", className: "button small", textContent: "Hear it" });
  const at = `${pass}/${one.number}.wav`;
  again.addEventListener("click", () => new Audio(at).play());
  row.append(again);
  part("last").prepend(row);
  while (part("last").children.length > LAST) part("last").lastChild.remove();
}

async function send() {
  if (sending || !pieces.length) return;
  sending = true;
  const { number, samples, last } = pieces[0];
  let answer = null;
  try {
    answer = await fetch(`${pass}/${number}?told=${told}${last ? "&last=1" : ""}`, {
      method: "POST", body: samples, headers: { "Content-Type": "application/octet-stream", "X-CSRFToken": csrf, Accept: "application/json" } });
  } catch { /* it is sent again */ }
  if (!answer || answer.status === 401 || answer.status >= 500) {
    sending = false;
    tell(`${answer?.status === 401 ? "This device was sent out: enter again in another window." : "The server does not answer."} ${Math.round(pieces.length * PIECE)} s of sound are kept here and sent again.`, true);
    if (pieces.length > WAITS) stop?.();
    setTimeout(send, 1000);
    return;
  }
  pieces.shift();
  const reply = await answer.json().catch(() => ({}));
  if (answer.ok) show(reply);
  else { pieces = []; stop?.(); tell(reply.error ?? "The sound was refused: press Listen again.", true); }
  sending = false; // only now is it settled: who plays what is asked for must not read the note before
  if (last) { pass = null; return; }
  send();
}

function enqueue(found, last) {
  const samples = Int16Array.from(found, (v) => Math.round(Math.max(-1, Math.min(1, v)) * 32767));
  pieces.push({ number: next, samples, last });
  next += 1;
  send();
}

const settled = async () => { while (pieces.length || sending) await new Promise((resolve) => setTimeout(resolve, 50)); };
const ofStrings = () => standIn(root.dataset.standIn, () => asked, settled, () => stop?.(), () => tell("The stand-in does not play this note: press a note that it should go on with, and start it again.", true));

async function listen(open = () => microphone(root.dataset.worklet)) {
  if (stop) { stop(); return; }
  if (pass) return;
  let mike = null;
  try {
    mike = await open();
    const begun = await post(root.dataset.begin, { rate: mike.rate, order: document.getElementById("f-order").value });
    if (!begun.ok) throw new Error(begun.reply.error ?? "The server does not answer.");
    pass = begun.reply.href;
  } catch (error) {
    mike?.stop();
    tell(why(error), true);
    return;
  }
  [pieces, next, told] = [[], 0, 0];
  part("last").replaceChildren();
  let found = [];
  let silent = 0;
  mike.heard = (samples) => {
    for (const v of samples) found.push(v);
    if (found.length < PIECE * mike.rate) return;
    const loudest = found.reduce((most, v) => Math.max(most, Math.abs(v)), 0);
    part("level").value = Math.sqrt(loudest);
    silent = loudest < QUIET ? silent + PIECE : 0;
    if (silent > SILENT && silent - PIECE <= SILENT) tell("Nothing is heard: is the microphone on, and near?", true);
    enqueue(found, false);
    found = [];
  };
  stop = () => {
    stop = null;
    mike.stop();
    awake(false);
    enqueue(found, true);
    part("level").value = 0;
    running(false);
  };
  awake(true);
  running(true);
  tell("Listening: play.");
}

function running(on) {
  button("listen").firstChild.textContent = on ? "Stop " : "Listen ";
  button("listen").hidden = !on && !canListen();
  for (const name of ["again", "skip"]) button(name).disabled = !on;
  document.getElementById("f-order").disabled = on;
}

async function point(what, note = "") {
  if (!pass) { tell("Press Listen first; then a tap on a note asks for that one."); return; }
  const { ok, reply } = await post(`${pass}/${what}`, { note });
  if (ok) show(reply);
  else tell(reply.error ?? "The server does not answer.", true);
}

if (canListen() || root.dataset.standIn) {
  button("listen").hidden = !canListen();
  button("listen").addEventListener("click", () => listen());
  for (const name of ["again", "skip"]) button(name).addEventListener("click", () => point(name));
  root.addEventListener("click", (event) => {
    const note = event.target.closest("[data-note]")?.dataset.note;
    if (note) point("skip", note);
  });
  const KEYS = { Enter: () => listen(), a: () => point("again"), k: () => point("skip") };
  document.addEventListener("keydown", (event) => {
    if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey || !KEYS[event.key]) return;
    if (event.key === "Enter" && event.target.closest("button, a")) return;
    event.preventDefault();
    event.stopPropagation();
    KEYS[event.key]();
  }, { capture: true });
} else {
  tell("This browser gives a page the microphone only over https or on this machine: see Second device in Settings.");
}
button("stand-in")?.addEventListener("click", () => listen(ofStrings));
window.addEventListener("beforeunload", (event) => { if (pieces.length) event.preventDefault(); });
