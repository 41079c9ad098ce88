// A hand over a neck on a stage: a tap or the arrows put it over a fret, up and down choose the lane; a button that names its key is pressed by it.

import { letters, typing } from "/static/js/typing.js";
import { follow, nearest, place } from "./stage.js";

const stage = () => document.querySelector("#beam-stage svg");
const hand = () => document.getElementById("hand");
const fret = () => document.getElementById("f-fret");
const lane = () => document.getElementById("f-lane");
const xs = () => JSON.parse(hand().dataset.xs);

// a beam lies in each lane that is stroked: in the middle one stands for all three; a block lies over one place, across the whole
function draw() {
  const lanes = JSON.parse(hand().dataset.lanes);
  const at = Math.min(xs().length, Math.max(1, Number(fret().value) || 1));
  if ("moves" in hand().dataset) {
    hand().setAttribute("transform", `translate(${xs()[at - 1]} 0)`);
    hand().lastElementChild.setAttribute("cy", lanes[lane().value] ?? lanes.even);
    return;
  }
  hand().setAttribute("transform", `translate(0 ${lanes[lane().value] ?? lanes.middle})`);
  hand().classList.toggle("wide", !(lane().value in lanes));
  hand().lastElementChild.setAttribute("cx", xs()[at - 1]);
}

function put(number) {
  fret().value = Math.min(xs().length, Math.max(1, number));
  draw();
}

function choose(by) {
  lane().selectedIndex = Math.min(lane().options.length - 1, Math.max(0, lane().selectedIndex + by));
  draw();
}

const keepInSight = () => follow(document.getElementById("beam-stage"), hand().lastElementChild);

function under(event) {
  const { x } = place(stage(), event);
  return 1 + xs().indexOf(nearest(xs(), (one) => Math.abs(one - x)));
}

let held = false;
document.addEventListener("pointerdown", (event) => {
  held = Boolean(event.target.closest?.("#beam-stage svg"));
  if (held) put(under(event));
});
document.addEventListener("pointermove", (event) => { if (held && event.buttons) put(under(event)); });
document.addEventListener("pointerup", () => { held = false; });
document.addEventListener("change", (event) => { if (event.target.matches("#f-lane, #f-fret")) draw(); });

const KEYS = {
  ArrowRight: () => put(Number(fret().value) + 1),
  ArrowLeft: () => put(Number(fret().value) - 1),
  ArrowUp: () => choose(-1),
  ArrowDown: () => choose(1),
};
const named = (key) => document.querySelector(`#stage-part [data-key="${CSS.escape(key)}"]`);

document.addEventListener("keydown", (event) => {
  if (typing(event.target) || event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  const button = event.key === "Enter" || letters ? named(event.key) : null;
  const act = KEYS[event.key] ?? (button && (() => button.click()));
  if (!act || (event.key === "Enter" && event.target.closest("button, a, summary"))) return;
  event.preventDefault();
  act();
  keepInSight();
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
