// The rocker on the stage of a drill: the pointer or the arrows carry it, a tap or Enter sets it down; p and l mark the fret under its middle.

import { letters, typing } from "/static/js/typing.js";
import { follow, nearest, place } from "./stage.js";
import { soon } from "./turns.js";

const form = () => document.getElementById("read");
const stage = () => document.querySelector("#practice-stage svg");
const rocker = () => document.getElementById("rocker");
const at = { lane: document.getElementById("f-lane").value, fret: Number(document.getElementById("f-fret").value) };

const spans = () => JSON.parse(rocker().dataset.spans);
const lanes = () => JSON.parse(rocker().dataset.lanes);

// puts it where it is; only its own transform changes, so that a drag draws nothing else
function draw() {
  const [left, right] = spans()[at.fret] ?? [0, 0];
  const bar = rocker().firstElementChild;
  bar.setAttribute("width", right - left);
  rocker().setAttribute("transform", `translate(${left} ${lanes()[at.lane]})`);
}

function carry(lane, fret) {
  const frets = Object.keys(spans()).map(Number);
  at.lane = lane;
  at.fret = Math.min(frets.at(-1), Math.max(frets[0], fret));
  document.getElementById("f-lane").value = at.lane;
  document.getElementById("f-fret").value = at.fret;
  draw();
}

const keepInSight = () => follow(document.getElementById("practice-stage"), rocker());

// the lane and middle fret nearest to the pointer
function under(event) {
  const point = place(stage(), event);
  const [lane] = nearest(Object.entries(lanes()), ([, y]) => Math.abs(y - point.y));
  const [fret] = nearest(Object.entries(spans()), ([, [left, right]]) => Math.abs((left + right) / 2 - point.x));
  return [lane, Number(fret)];
}

const read = (which) => form().querySelector(`[data-${which}]`).click();

function mark(name) {
  const box = document.getElementById(`f-${name}`);
  const other = document.getElementById(name === "proud" ? "f-low" : "f-proud");
  const numbers = (one) => one.value.split(/[\s,]+/).filter(Boolean);
  const here = String(at.fret);
  const had = numbers(box).includes(here);
  box.value = (had ? numbers(box).filter((one) => one !== here) : [...numbers(box), here]).join(", ");
  other.value = numbers(other).filter((one) => one !== here).join(", ");
}

function across(by) {
  const names = Object.keys(lanes());
  carry(names[Math.min(names.length - 1, Math.max(0, names.indexOf(at.lane) + by))], at.fret);
}

const KEYS = {
  ArrowRight: () => carry(at.lane, at.fret + 1),
  ArrowLeft: () => carry(at.lane, at.fret - 1),
  ArrowUp: () => across(-1),
  ArrowDown: () => across(1),
  Enter: () => read("rock"),
};
const LETTERS = { e: () => read("edge"), p: () => mark("proud"), l: () => mark("low") };

const onStage = (event) => event.target.closest?.("#practice-stage");
document.addEventListener("pointermove", (event) => {
  if (!onStage(event)) return;
  const where = under(event);
  soon(() => carry(...where));
});
document.addEventListener("click", (event) => {
  if (!onStage(event)) return;
  const where = under(event);
  soon(() => { carry(...where); read("rock"); });
});
document.addEventListener("change", (event) => {
  if (!event.target.matches("#f-lane, #f-fret")) return;
  const { id, value } = event.target;
  soon(() => {
    document.getElementById(id).value = value;
    const fret = Number(document.getElementById("f-fret").value);
    if (spans()[fret]) carry(document.getElementById("f-lane").value, fret);
  });
});
document.addEventListener("keydown", (event) => {
  if (typing(event.target) || event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  const act = KEYS[event.key] ?? (letters && LETTERS[event.key]);
  if (!act || (event.key === "Enter" && event.target.closest("button, a, summary"))) return;
  event.preventDefault();
  soon(() => { act(); keepInSight(); });
});

// the stage is a new drawing after each reading: the rocker goes back where it was, and tips where it rocks
document.addEventListener("htmx:afterSwap", () => {
  if (!rocker()) return;
  draw();
  keepInSight();
  const tips = document.querySelector("#stage-part [role=status]").textContent.includes("it rocks");
  rocker().firstElementChild.classList.toggle("tips", tips);
});
draw();
keepInSight();
stage().closest("#practice-stage").focus({ preventScroll: true });
