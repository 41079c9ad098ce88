// A hand over a neck on a stage: a tap or the arrows put it over a fret, up and down choose the lane; a button that names its key is pressed by it.

import { letters, typing } from "/static/js/typing.js";
import { follow, nearest, place } from "./stage.js";
import { soon } from "./turns.js";

const stage = () => document.querySelector("#beam-stage svg");
const hand = () => document.getElementById("hand");
const fret = () => document.getElementById("f-fret");
const lane = () => document.getElementById("f-lane");
const xs = () => JSON.parse(hand().dataset.xs);

// a beam lies in each lane that is stroked: in the middle one stands for all three; a block lies over one place, across the whole
function draw() {
  if (!hand()) return; // nothing to carry yet
  const lanes = JSON.parse(hand().dataset.lanes);
  const at = Math.min(xs().length, Math.max(1, Number(fret().value) || 1));
  if ("moves" in hand().dataset) {
    hand().setAttribute("transform", `translate(${xs()[at - 1]} 0)`);
    hand().lastElementChild.setAttribute("cy", lanes[lane()?.value] ?? lanes.even);
    return;
  }
  hand().setAttribute("transform", `translate(0 ${lanes[lane().value] ?? lanes.middle})`);
  hand().classList.toggle("wide", !(lane().value in lanes));
  hand().lastElementChild.setAttribute("cx", xs()[at - 1]);
}

function put(number) {
  if (!hand()) return;
  fret().value = Math.min(xs().length, Math.max(1, number));
  draw();
}

function choose(by) {
  if (!lane()) { put(Number(fret().value) - 10 * by); return; } // a knife on a rule: a millimetre
  lane().selectedIndex = Math.min(lane().options.length - 1, Math.max(0, lane().selectedIndex + by));
  draw();
}

const keepInSight = () => hand() && follow(document.getElementById("beam-stage"), hand().lastElementChild);

function under(event) {
  if (!hand()) return 0;
  const { x } = place(stage(), event);
  return 1 + xs().indexOf(nearest(xs(), (one) => Math.abs(one - x)));
}

let held = false;
document.addEventListener("pointerdown", (event) => {
  held = Boolean(event.target.closest?.("#beam-stage svg"));
  if (held) { const number = under(event); soon(() => put(number)); }
});
document.addEventListener("pointermove", (event) => {
  if (held && event.buttons) { const number = under(event); soon(() => put(number)); }
});
document.addEventListener("pointerup", () => { held = false; });
document.addEventListener("change", (event) => {
  if (!event.target.matches("#f-lane, #f-fret")) return;
  const { id, value } = event.target;
  soon(() => { document.getElementById(id).value = value; draw(); });
});

const KEYS = {
  ArrowRight: () => put(Number(fret().value) + 1),
  ArrowLeft: () => put(Number(fret().value) - 1),
  ArrowUp: () => choose(-1),
  ArrowDown: () => choose(1),
};
const press = (key) => named(key)?.click(); // the stage may have no such act any more
const named = (key) => document.querySelector(`#stage-part [data-key="${CSS.escape(key)}"]`);

document.addEventListener("keydown", (event) => {
  if (typing(event.target) || event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  const { key } = event;
  const act = KEYS[key] ?? ((key === "Enter" || letters) && named(key) && (() => press(key)));
  if (!act || (event.key === "Enter" && event.target.closest("button, a, summary"))) return;
  event.preventDefault();
  soon(() => { act(); keepInSight(); });
});
// the stage is a new drawing after each act: the hand goes back where it was
document.addEventListener("htmx:afterSwap", () => {
  if (!hand()) return;
  draw();
  keepInSight();
});
draw();
keepInSight();
document.getElementById("beam-stage").focus({ preventScroll: true });
