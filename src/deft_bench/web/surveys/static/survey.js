// The survey cursor: it walks by itself, and every accepted reading goes to the server at once, in order.
// Typing never waits for an answer; a reading counts as accepted only when the server has said so.

import { follow as followServer } from "/static/js/follow.js";
import { post } from "/static/js/post.js";
import { awake, say as speak, tone } from "/static/js/senses.js";
import { letters, typing } from "/static/js/typing.js";

const root = document.getElementById("survey");
const form = document.getElementById("entry");
const box = document.getElementById("reading");
const said = document.getElementById("entry-said");
const store = `survey-${root.dataset.survey}`;

const key = (lane, fret) => `${lane}:${fret}`;
const cells = new Map();
for (const cell of root.querySelectorAll(".cell")) cells.set(key(cell.dataset.lane, cell.dataset.fret), cell);
const order = [...cells.values()].sort((a, b) => a.dataset.seq - b.dataset.seq);
const lanes = [...new Set([...cells.values()].map((cell) => cell.dataset.lane))]; // as shown, top row first
const frets = [...new Set(order.map((cell) => Number(cell.dataset.fret)))].sort((a, b) => a - b); // a partial refret reads only some
const spots = new Map();
for (const spot of root.querySelectorAll(".spot")) spots.set(key(spot.dataset.lane, spot.dataset.fret), spot);

const blades = (root.dataset.blades || "").split(" ").filter(Boolean); // thinnest first, where a gap is tried with them
const keys = root.dataset.keys.split(" ").filter(Boolean); // the two keys of a test, where readings are answers

let at = root.querySelector(".cell.at");
let sending = false;
let retry = null;
let queue = JSON.parse(sessionStorage.getItem(store) || "[]");
const undo = [];

// randomUUID is missing where a tablet reaches the bench without https
const newToken = () => [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, "0")).join("");
const say = (name, text) => { root.querySelector(`[data-say="${name}"]`).textContent = text; };
const tell = (text, wrong = false) => { said.textContent = text; said.classList.toggle("wrong-words", wrong); };
const keep = () => sessionStorage.setItem(store, JSON.stringify(queue));
const cellOf = (item) => cells.get(key(item.lane, item.fret));

function move(cell, focus = true) {
  if (!cell) return;
  typedOver = null;
  at.classList.remove("at");
  spots.get(key(at.dataset.lane, at.dataset.fret))?.classList.remove("at");
  root.querySelector(`[data-number="${at.dataset.fret}"]`)?.classList.remove("at");
  at = cell;
  const { lane, fret } = at.dataset;
  at.classList.add("at");
  spots.get(key(lane, fret))?.classList.add("at");
  root.querySelector(`[data-number="${fret}"]`)?.classList.add("at");
  const wrap = at.closest(".sheet-wrap");
  if (wrap.scrollWidth > wrap.clientWidth) wrap.scrollLeft = at.offsetLeft - wrap.clientWidth / 2;
  say("fret", fret === "0" ? "Open" : `Fret ${fret}`);
  say("lane", at.closest("tr").dataset.name ?? lane);
  if (at.dataset.edge !== undefined) say("edge", at.dataset.edge);
  if (blades.length) beginBlades();
  form.elements.lane.value = lane;
  form.elements.fret.value = fret;
  form.elements.expects.value = at.dataset.id || "";
  stand();
  box.value = at.dataset.refused || "";
  box.toggleAttribute("aria-invalid", Boolean(at.dataset.refused));
  if (at.dataset.refused) tell(at.dataset.why, true);
  const pin = root.querySelector('[data-do="pin"]');
  if (pin) { const url = new URL(pin.href); url.searchParams.set("fret", fret); url.searchParams.set("lane", lane); pin.href = url; }
  follow();
  if (focus) { box.focus({ preventScroll: true }); box.select(); }
}

const stand = () => say("stands", at.dataset.id ? `stands at ${at.textContent.trim()}` : keys.join(" or "));
const where = (cell) => `${cell.closest("tr").dataset.name ?? cell.dataset.lane}, ${cell.dataset.fret === "0" ? "open" : `fret ${cell.dataset.fret}`}`;
const label = (cell) => cell.setAttribute("aria-label", `${where(cell)}: ${cell.textContent.trim() || "not read"}`);

// a neck that is wider than the screen is moved along with the cursor
function follow() {
  const wrap = root.querySelector(".stage-wrap");
  const spot = spots.get(key(at.dataset.lane, at.dataset.fret));
  if (!spot || wrap.scrollWidth <= wrap.clientWidth) return;
  const seen = spot.getBoundingClientRect();
  const frame = wrap.getBoundingClientRect();
  wrap.scrollLeft += seen.left + seen.width / 2 - frame.left - frame.width / 2;
}

const step = (by) => { move(order[Math.min(order.length - 1, Math.max(0, Number(at.dataset.seq) + by))]); if (by > 0) speak(where(at)); };

function neighbour(frets_by, lane_by) {
  const row = lanes.indexOf(at.dataset.lane) + lane_by;
  const place = frets.indexOf(Number(at.dataset.fret)) + frets_by;
  return cells.get(key(lanes[Math.min(lanes.length - 1, Math.max(0, row))], frets[Math.min(frets.length - 1, Math.max(0, place))]));
}

function enqueue(item) {
  queue.push({ token: newToken(), ...item });
  keep();
  const cell = cellOf(item);
  delete cell.dataset.refused;
  delete cell.dataset.asks;
  cell.classList.remove("refused");
  cell.classList.add("pending");
  if (!item.withdraw) cell.textContent = item.reading;
  send();
}

function accept() {
  const reading = box.value.trim();
  const { lane, fret } = at.dataset;
  const sure = at.dataset.asks && reading === at.dataset.refused ? reading : "";
  if (!reading) {
    if (at.dataset.id) step(1); // Enter on a read place keeps it
    else tell("Nothing typed. Type a reading, or step with the arrows.", true);
    return;
  }
  tell("");
  enqueue({ lane, fret, reading, sure, before: at.dataset.id ? at.textContent.trim() : "", ...(typedOver !== null && { over: typedOver }) });
  step(1);
}

async function send() {
  if (sending || !queue.length) { if (!queue.length) say("saved", "all saved"); return; }
  sending = true;
  clearTimeout(retry);
  say("saved", "saving");
  const item = queue[0];
  const cell = cellOf(item);
  const { over, ...fields } = item;
  fields.expects = over ?? (cell.dataset.id || "");
  if (!item.withdraw) delete fields.withdraw;
  const answer = await post(root.dataset.post, fields);
  const reply = answer.reply;
  sending = false;
  if (answer.status === 0 || answer.status === 401 || answer.status >= 500) { // 401: sent out, until this device enters again
    const why = reply.advice || "The server does not answer.";
    say("saved", `${queue.length} not saved`);
    tell(`${why} ${queue.length} kept here and sent again by itself.`, true);
    retry = setTimeout(send, 1500);
    return;
  }
  queue.shift();
  keep();
  cell.classList.remove("pending");
  if (answer.ok) accepted(cell, item, reply);
  else refused(cell, item, reply);
  send();
}

// what stands at a place now, whoever read it
function put(cell, stands) {
  cell.textContent = stands.value;
  cell.dataset.id = stands.id ?? "";
  cell.classList.toggle("read", Boolean(stands.value));
  cell.classList.toggle("corrected", stands.corrected);
  cell.classList.toggle("rocks", ["rocks", "buzzes"].includes(stands.value));
  label(cell);
  if (cell === at) { form.elements.expects.value = cell.dataset.id; stand(); }
}

function accepted(cell, item, reply) {
  put(cell, reply);
  delete cell.dataset.gave;
  lastOwn = Date.now();
  if (!item.undoing) undo.push({ lane: item.lane, fret: item.fret, before: item.before });
  say("read", reply.read);
  for (const state of reply.lane) show(spots.get(key(item.lane, state.fret)), item.lane, state);
  if (reply.rocker) say("disagree", reply.rocker.disagree);
  askCall();
  say("heard", `${where(cell)}: ${reply.value || "withdrawn"}. Now ${where(at)}.`);
  const laneDone = order.filter((other) => other.dataset.lane === item.lane).every((other) => other.dataset.id);
  tone(laneDone ? "lane" : "accepted");
  if (said.classList.contains("wrong-words") && !order.some((other) => other.dataset.refused)) tell("");
  if (reply.read === Number(root.dataset.places) && !queue.length) tell("All read.");
}

// Other windows on this survey: what they read stands here at once, and the cursor goes on with them unless this one reads too.
const OWN_HAND = 4000;
let lastOwn = 0;
let typedOver = null; // what stood where a hand is typing before another window read there
function others(news) {
  let last = null;
  for (const one of news.readings) {
    const cell = cellOf(one);
    const same = !cell || cell.dataset.id === String(one.id ?? "");
    // a place that waits to be saved is left: the server will ask which of the two counts
    if (same || queue.some((item) => cellOf(item) === cell)) continue;
    if (cell === at && box.value && !at.dataset.refused) typedOver ??= cell.dataset.id || ""; // the hand has not seen this: it is asked
    put(cell, one);
    last = cell;
  }
  if (!last) return;
  say("read", news.read);
  for (const [lane, of] of Object.entries(news.lanes)) for (const state of of) show(spots.get(key(lane, state.fret)), lane, state);
  if (news.rocker.rocker) say("disagree", news.rocker.rocker.disagree);
  askCall();
  say("heard", `Read in another window: ${where(last)}, ${last.textContent.trim() || "withdrawn"}.`);
  if (!box.value && !at.dataset.refused && Date.now() - lastOwn > OWN_HAND) move(order[Math.min(order.length - 1, Number(last.dataset.seq) + 1)], false);
}

// The call from all that was read of the neck: asked for when nothing waits to be saved, once for many keys.
let asking = null;
function askCall() {
  if (!root.dataset.call) return;
  clearTimeout(asking);
  asking = setTimeout(async () => {
    if (queue.length || sending) return;
    const answer = await fetch(root.dataset.call, { headers: { Accept: "application/json" } }).catch(() => null);
    const state = answer?.ok ? await answer.json().catch(() => null) : null; // an answer may break off
    if (state) showCall(state);
  }, 40);
}

function showCall(state) {
  if (!state.say) return;
  for (const name of ["say", "sure", "because", "settle"]) say(name === "say" ? "call" : name, state[name]);
  say("slips", state.slips.map((slip) => `Fret ${slip.fret} ${slip.lane} is probably a slip: read it again.`).join(" "));
  for (const spot of state.spots) show(spots.get(key(spot.lane, spot.fret)), spot.lane, spot);
  root.querySelector(".spot.pulse")?.classList.remove("pulse");
  if (state.next?.kind === "rocker" && root.dataset.kind === "rocker") spots.get(key(state.next.lane, state.next.fret))?.classList.add("pulse");
}

// Blades: the one that is tried stands beside the place; thicker while it passes, thinner while it stops.
let tried = null;
function beginBlades() {
  const near = [at, cells.get(key(at.dataset.lane, Number(at.dataset.fret) + 1))].map((cell) => (cell ? blades.indexOf(cell.textContent.trim()) : -1));
  tried = { at: Math.max(0, near[0] >= 0 ? near[0] : near[1]), passes: -1, stops: blades.length };
  sayBlade();
}
const unit = root.querySelector(".entry-box .unit").textContent;
const sayBlade = () => say("blade", `try ${blades[tried.at]} ${unit}`);
function blade(which) {
  if (which === "o") { tried.passes = tried.at; tried.at += 1; } else { tried.stops = tried.at; tried.at -= 1; }
  if (tried.passes + 1 < tried.stops) { sayBlade(); return; }
  box.value = tried.passes < 0 ? "0" : `${blades[tried.passes]} ${unit}`;
  accept();
}

// The same answer for the place beside it, for all that a drag passes, or for the rest of the lane.
let last = null;
function give(cell) {
  cell.dataset.gave = last;
  enqueue({ lane: cell.dataset.lane, fret: cell.dataset.fret, reading: last, before: cell.dataset.id ? cell.textContent.trim() : "" });
}
function restOfLane(which) {
  last = which;
  const rest = order.slice(Number(at.dataset.seq)).filter((cell) => cell.dataset.lane === at.dataset.lane && !cell.dataset.id && !cell.classList.contains("pending"));
  rest.forEach(give);
  if (rest.length) move(rest.at(-1));
  step(1);
}

// one key a test: the answer is the reading
function answer(which) {
  last = which;
  box.value = which;
  accept();
}

function refused(cell, item, reply) {
  // what the server holds now stands in the cell; what was typed is kept for this place
  if (reply.value !== undefined) { cell.textContent = reply.value ?? ""; cell.dataset.id = reply.current ?? ""; }
  else cell.textContent = cell.dataset.id ? item.before : "";
  cell.classList.toggle("read", Boolean(cell.dataset.id));
  cell.classList.add("refused");
  cell.dataset.refused = item.reading || "";
  if (reply.asks) cell.dataset.asks = "1"; // entered again, it is kept
  cell.dataset.why = reply.advice ? `${reply.error} ${reply.advice}` : reply.error;
  label(cell);
  tone("refused");
  tell(cell.dataset.why, true);
  if (!box.value) move(cell);
}

function show(spot, lane, state) {
  if (!spot) return;
  spot.setAttribute("class", `spot ${state.shape}${spot.classList.contains("at") ? " at" : ""}${spot.classList.contains("pulse") ? " pulse" : ""}`);
  spot.querySelector(".soft")?.setAttribute("ry", 7 + (state.soft || 0));
  spot.querySelector("title").textContent = `fret ${state.fret} ${lane}: ${state.words}`;
  const text = spot.querySelector("text");
  if (!text) return;
  text.textContent = state.label;
  if (!("strung" in root.dataset)) text.setAttribute("y", state.shape === "low" ? -11 : 20);
}

function undoLast() {
  const last = undo.pop();
  if (!last) { tell("Nothing to undo since this page was opened."); return; }
  const unit = root.querySelector(".entry-box .unit").textContent;
  if (last.before) enqueue({ ...last, reading: `${last.before} ${unit}`, sure: `${last.before} ${unit}`, undoing: true });
  else enqueue({ lane: last.lane, fret: last.fret, withdraw: "1", reading: "", undoing: true });
  move(cellOf(last));
}

// a gauge whose drift was found has its lane put right
root.addEventListener("gauge-mends", (event) => {
  for (const one of event.detail) {
    const before = cellOf(one).dataset.id ? cellOf(one).textContent.trim() : "";
    if (before) enqueue({ ...one, sure: one.reading, before });
  }
});

form.addEventListener("submit", (event) => {
  event.preventDefault();
  if (event.submitter?.name === "withdraw") {
    if (at.dataset.id) enqueue({ lane: at.dataset.lane, fret: at.dataset.fret, withdraw: "1", reading: "", before: at.textContent.trim() });
    box.focus();
  } else accept();
});

const undoButton = root.querySelector('[data-do="undo"]');
undoButton.hidden = false;
undoButton.addEventListener("click", () => { undoLast(); box.focus(); });

// a tap anywhere on the neck means the place nearest to it
function nearest(event) {
  let found = null;
  let least = Infinity;
  for (const spot of spots.values()) {
    const box = spot.querySelector(".hit").getBoundingClientRect();
    const away = Math.hypot(box.left + box.width / 2 - event.clientX, box.top + box.height / 2 - event.clientY);
    if (away < least) [found, least] = [spot, away];
  }
  return found;
}

root.addEventListener("click", (event) => {
  const place = event.target.closest(".cell, .spot") ?? (event.target.closest(".stage.live") && nearest(event));
  if (!place) return;
  event.preventDefault();
  move(cells.get(key(place.dataset.lane, place.dataset.fret)));
});

const KEYS = {
  b: () => move(cells.get(key("bass", at.dataset.fret))),
  m: () => move(cells.get(key("middle", at.dataset.fret))),
  t: () => move(cells.get(key("treble", at.dataset.fret))),
  u: undoLast,
  n: () => root.querySelector('[data-do="pin"]')?.click(),
  Backspace: () => step(-1),
  ArrowLeft: () => move(neighbour(-1, 0)),
  ArrowRight: () => move(neighbour(1, 0)),
  ArrowUp: () => move(neighbour(0, -1)),
  ArrowDown: () => move(neighbour(0, 1)),
};
const sweeps = keys.length > 0 && !("strung" in root.dataset);
for (const which of keys) {
  KEYS[which] = () => answer(which);
  if (sweeps) KEYS[which.toUpperCase()] = () => restOfLane(which);
}
if (blades.length) { KEYS.o = () => blade("o"); KEYS.x = () => blade("x"); }
KEYS["["] = () => move(neighbour(0, 1));
KEYS["]"] = () => move(neighbour(0, -1));
root.addEventListener("click", (event) => {
  const which = event.target.closest("[data-answer]")?.dataset.answer;
  if (which) answer(which);
  const tells = event.target.closest("[data-blade]")?.dataset.blade;
  if (tells) blade(tells);
});

// the pad under the entry: what the keys do, for a thumb
const PAD = {
  accept, back: () => step(-1), next: () => step(1), undo: undoLast,
  lane: () => move(cells.get(key(lanes[(lanes.indexOf(at.dataset.lane) + 1) % lanes.length], at.dataset.fret))),
  erase: () => { box.value = box.value.slice(0, -1); },
};
root.querySelector(".keypad").addEventListener("click", (event) => {
  const what = event.target.closest("[data-pad]")?.dataset.pad;
  if (!what) return;
  if (what.startsWith("key ")) KEYS[what.slice(4)]();
  else if (PAD[what]) PAD[what]();
  else box.setRangeText(what, box.selectionStart, box.selectionEnd, "end");
  box.focus({ preventScroll: true });
});
const padShown = getComputedStyle(root.querySelector(".keypad")).display !== "none";
if (padShown) box.inputMode = "none";

// at the bench: the figure fills the screen, which stays awake
const benchButton = root.querySelector('[data-do="bench"]');
function atBench(on) {
  root.classList.toggle("at-bench", on);
  document.documentElement.classList.toggle("benched", on);
  benchButton.setAttribute("aria-pressed", String(on));
  benchButton.textContent = on ? "Leave the bench view" : "At the bench";
  awake(on);
  if (on) document.documentElement.requestFullscreen?.().catch(() => {});
  else if (document.fullscreenElement) document.exitFullscreen();
  follow();
  box.focus();
}
benchButton.hidden = false;
benchButton.addEventListener("click", () => atBench(!root.classList.contains("at-bench")));
document.addEventListener("fullscreenchange", () => { if (!document.fullscreenElement && root.classList.contains("at-bench")) atBench(false); });

let dragged = null;
const placeAt = (target) => cells.get(key(target?.closest(".cell, .spot")?.dataset.lane, target?.closest(".cell, .spot")?.dataset.fret));
root.addEventListener("pointerdown", (event) => { dragged = sweeps && last ? placeAt(event.target) : null; });
root.addEventListener("pointermove", (event) => {
  const cell = dragged && placeAt(document.elementFromPoint(event.clientX, event.clientY));
  if (!cell || cell === dragged) return;
  event.preventDefault();
  for (const one of [dragged, cell]) if (one.dataset.gave !== last) { move(one, false); give(one); }
  dragged = cell;
});
document.addEventListener("pointerup", () => { dragged = null; });

box.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (sweeps && event.shiftKey && event.key.startsWith("Arrow") && last && !box.value) {
    event.preventDefault();
    event.stopPropagation();
    const beside = neighbour(...{ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]);
    if (beside && beside !== at) { move(beside); give(beside); }
    return;
  }
  const upDown = event.key === "ArrowUp" || event.key === "ArrowDown";
  const unchanged = !box.value || (at.dataset.refused && box.value === at.dataset.refused);
  if (!letters && /^[a-z[\]]$/i.test(event.key)) return;
  if (KEYS[event.key] && (upDown || !box.value || (unchanged && event.key.startsWith("Arrow")))) {
    event.preventDefault();
    event.stopPropagation();
    KEYS[event.key]();
  }
});

document.addEventListener("keydown", (event) => {
  // a digit typed anywhere on the page is a reading
  if (event.target !== box && !typing(event.target) && /^[0-9.,+-]$/.test(event.key) && !event.ctrlKey && !event.metaKey && !event.altKey) box.focus();
});

window.addEventListener("beforeunload", (event) => { if (queue.length) event.preventDefault(); });

// what was typed before this script ran counts too: keys are pressed, a reading stays in the box to be ended
const early = at.dataset.refused ? "" : box.value;
move(at, true);
if (early && [...early].every((typed) => KEYS[typed])) for (const typed of early) KEYS[typed]();
else if (early) { box.value = early; box.setSelectionRange(early.length, early.length); }
for (const item of queue) cellOf(item)?.classList.add("pending");
send();
followServer(`${root.dataset.follow}?since=${root.dataset.newest}`, { heard: others });
