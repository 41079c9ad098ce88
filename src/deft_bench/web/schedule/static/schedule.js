// Schedule: a strip is dragged, or taken up with m and moved with the arrows, to where its first step is to be pinned; the server tries it and says what it costs.

const mat = document.getElementById("rails");
const svg = mat.querySelector("svg");
const perMinute = Number(mat.dataset.perMinute);
const first = Number(mat.dataset.firstMinute);
const left = Number(mat.dataset.left);
const STEP = 15;
const rails = [...svg.querySelectorAll(".rail")];
const form = document.getElementById("drag-form");

const place = (event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
const minuteOf = (x) => Math.round(((x - left) / perMinute + first) / STEP) * STEP;
const clock = (minute) => `${String(Math.floor(minute / 60)).padStart(2, "0")}:${String(minute % 60).padStart(2, "0")}`;

function send(strip, day, minute) {
  form.elements.job.value = strip.dataset.job;
  form.elements.step.value = strip.dataset.step;
  form.elements.technician.value = strip.dataset.technician;
  form.elements.at.value = `${day}T${clock(minute)}`;
  form.submit();
}

// where a strip would go: the strip itself moves, and its new time stands on it
function show(strip, moved) {
  const from = rails.find((rail) => rail.dataset.day === strip.dataset.start.slice(0, 10));
  const to = rails.find((rail) => rail.dataset.day === moved.day);
  const start = Number(strip.dataset.start.slice(11, 13)) * 60 + Number(strip.dataset.start.slice(14, 16));
  const dy = to && from ? Number(to.dataset.y) - Number(from.dataset.y) : 0;
  strip.setAttribute("transform", `translate(${(moved.minute - start) * perMinute} ${dy})`);
  strip.classList.add("moving");
  let words = svg.querySelector(".moving-words");
  if (!words) {
    words = document.createElementNS("http://www.w3.org/2000/svg", "text");
    words.setAttribute("class", "moving-words");
    svg.append(words);
  }
  const box = strip.querySelector("rect");
  words.setAttribute("x", Number(box.getAttribute("x")) + (moved.minute - start) * perMinute);
  words.setAttribute("y", Number(box.getAttribute("y")) + dy - 4);
  words.textContent = `${to ? to.querySelector(".day-words").textContent : moved.day}, ${clock(moved.minute)}`;
}

function forget(strip) {
  strip.removeAttribute("transform");
  strip.classList.remove("moving");
  svg.querySelector(".moving-words")?.remove();
  walked = null;
}

let dragged = null;
svg.addEventListener("pointerdown", (event) => {
  const strip = event.target.closest(".strip");
  if (!strip || event.button !== 0) return;
  dragged = { strip, from: place(event), moved: null };
});
svg.addEventListener("dragstart", (event) => event.preventDefault());
window.addEventListener("pointermove", (event) => {
  if (!dragged) return;
  const at = place(event);
  if (!dragged.moved && Math.hypot(at.x - dragged.from.x, at.y - dragged.from.y) < 5) return;
  const box = dragged.strip.querySelector("rect");
  const rail = rails.find((one) => at.y >= Number(one.dataset.y) - 6 && at.y <= Number(one.dataset.y) + Number(one.dataset.h) + 6);
  const day = rail ? rail.dataset.day : dragged.moved?.day ?? dragged.strip.dataset.start.slice(0, 10);
  dragged.moved = { day, minute: Math.max(first, minuteOf(Number(box.getAttribute("x")) + at.x - dragged.from.x)) };
  show(dragged.strip, dragged.moved);
});
window.addEventListener("pointerup", () => {
  if (dragged?.moved) {
    const { strip, moved } = dragged;
    strip.addEventListener("click", (event) => event.preventDefault(), { once: true });
    send(strip, moved.day, moved.minute);
  }
  dragged = null;
});
window.addEventListener("pointercancel", () => { if (dragged) forget(dragged.strip); dragged = null; });

// what a strip holds stands below in full, while it has the focus or the pointer
const saidBelow = document.getElementById("strip-said");
for (const kind of ["focusin", "pointerover"]) {
  svg.addEventListener(kind, (event) => {
    const strip = event.target.closest(".strip");
    if (strip) saidBelow.textContent = strip.getAttribute("aria-label");
  });
}

let walked = null;
svg.addEventListener("keydown", (event) => {
  const strip = event.target.closest(".strip");
  if (!strip || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "p") {
    event.preventDefault();
    send(strip, strip.dataset.start.slice(0, 10), Number(strip.dataset.start.slice(11, 13)) * 60 + Number(strip.dataset.start.slice(14, 16)));
  } else if (event.key === "x" && strip.classList.contains("pinned")) {
    event.preventDefault();
    const out = document.getElementById("unpin-form");
    out.elements.job.value = strip.dataset.job;
    out.elements.step.value = strip.dataset.step;
    out.submit();
  } else if (event.key === "m") {
    event.preventDefault();
    const start = Number(strip.dataset.start.slice(11, 13)) * 60 + Number(strip.dataset.start.slice(14, 16));
    walked ??= { strip, day: strip.dataset.start.slice(0, 10), minute: Math.round(start / STEP) * STEP };
    show(strip, walked);
  } else if (event.key.startsWith("Arrow") && walked) {
    event.preventDefault();
    event.stopPropagation();
    const days = rails.map((rail) => rail.dataset.day);
    const at = days.indexOf(walked.day);
    if (event.key === "ArrowLeft") walked.minute = Math.max(first, walked.minute - STEP);
    if (event.key === "ArrowRight") walked.minute = Math.min(24 * 60 - STEP, walked.minute + STEP);
    if (event.key === "ArrowUp") walked.day = days[Math.max(0, at - 1)];
    if (event.key === "ArrowDown") walked.day = days[Math.min(days.length - 1, at + 1)];
    show(strip, walked);
  } else if (event.key === "Enter" && walked?.strip === strip) {
    event.preventDefault();
    send(strip, walked.day, walked.minute);
  } else if (event.key === "Escape" && walked) forget(walked.strip);
});
svg.addEventListener("focusout", (event) => { if (walked && event.target === walked.strip) forget(walked.strip); });
