// The board's plan: arrows walk the frets, plus and minus zoom about the middle, the wheel about the pointer, drag moves.
// Boxes are drawn while they are typed in (htmx); only Save stores them.

const plan = () => document.getElementById("plan");
const form = document.getElementById("numbers");
let view = null; // [x, y, width, height] once it has been zoomed
let whole = null;

function box() {
  const svg = plan();
  const now = svg.getAttribute("viewBox").split(" ").map(Number);
  whole ??= now;
  return view ?? now;
}

function set(next) {
  const [x0, y0, w0, h0] = whole;
  const w = Math.min(w0, Math.max(w0 / 24, next[2]));
  const h = (w / w0) * h0;
  const x = Math.min(x0 + w0 - w, Math.max(x0, next[0]));
  const y = Math.min(y0 + h0 - h, Math.max(y0, next[1]));
  view = w >= w0 ? null : [x, y, w, h];
  plan().setAttribute("viewBox", (view ?? whole).map((v) => v.toFixed(2)).join(" "));
}

function zoom(by, px = 0.5, py = 0.5) {
  const [x, y, w, h] = box();
  set([x + w * px * (1 - 1 / by), y + h * py * (1 - 1 / by), w / by, h / by]);
}

function select(fret, load = true) {
  const slots = [...plan().querySelectorAll(".slot-at")];
  const n = Math.min(slots.length, Math.max(1, fret));
  for (const slot of slots) {
    const here = Number(slot.dataset.fret) === n;
    slot.classList.toggle("at", here);
    slot.querySelector("text").classList.toggle("at", here);
    if (here) document.getElementById("fret-words").textContent = slot.dataset.words;
  }
  plan().dataset.fret = n;
  form.elements.fret.value = n;
  if (load) htmx.trigger(form, "change");
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.matches("input, textarea, select") || !plan()) return;
  const fret = Number(plan().dataset.fret);
  const mirrored = plan().querySelector('[data-fret="1"] text').getAttribute("x") - plan().querySelector('[data-fret="2"] text')?.getAttribute("x") > 0;
  const keys = {
    ArrowRight: () => select(fret + (mirrored ? -1 : 1)),
    ArrowLeft: () => select(fret + (mirrored ? 1 : -1)),
    "+": () => zoom(1.5),
    "=": () => zoom(1.5),
    "-": () => zoom(1 / 1.5),
    0: () => set(whole ?? box()),
  };
  if (keys[event.key]) { event.preventDefault(); keys[event.key](); }
});

document.addEventListener("wheel", (event) => {
  const svg = event.target.closest?.("#plan");
  if (!svg || (!event.ctrlKey && !view)) return; // a plain wheel scrolls the page until it is zoomed
  event.preventDefault();
  const at = svg.getBoundingClientRect();
  zoom(event.deltaY < 0 ? 1.25 : 0.8, (event.clientX - at.left) / at.width, (event.clientY - at.top) / at.height);
}, { passive: false });

let drag = null;
document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest?.("#plan");
  if (svg) drag = { x: event.clientX, y: event.clientY, from: box(), moved: false };
});
document.addEventListener("pointermove", (event) => {
  const slot = event.target.closest?.(".slot-at");
  if (slot && !drag) document.getElementById("fret-words").textContent = slot.dataset.words;
  if (!drag || !view) return;
  const per = drag.from[2] / plan().getBoundingClientRect().width;
  drag.moved ||= Math.hypot(event.clientX - drag.x, event.clientY - drag.y) > 4;
  set([drag.from[0] - (event.clientX - drag.x) * per, drag.from[1] - (event.clientY - drag.y) * per, drag.from[2], drag.from[3]]);
});
document.addEventListener("pointerup", (event) => {
  const slot = event.target.closest?.(".slot-at");
  if (drag && !drag.moved && slot) { plan().focus({ preventScroll: true }); select(Number(slot.dataset.fret)); }
  drag = null;
});

document.addEventListener("click", (event) => {
  const school = event.target.closest("[data-school]");
  if (!school) return;
  form.elements.school.value = school.dataset.school;
  htmx.trigger(form, "change");
});

// a new drawing keeps the part that was being looked at
document.addEventListener("htmx:afterSwap", () => {
  if (!plan()) return;
  whole = plan().getAttribute("viewBox").split(" ").map(Number);
  if (view) set(view);
});

// what is only shown is lost with the page: say so before it goes
let sent = false;
form?.addEventListener("submit", () => { sent = true; });
window.addEventListener("beforeunload", (event) => {
  if (!sent && document.getElementById("unsaved")?.textContent.trim()) event.preventDefault();
});
