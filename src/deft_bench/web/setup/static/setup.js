// Setup: sliders and boxes move together, the map and the frets choose what is drawn. The picture is drawn by the server (htmx).

const form = document.getElementById("tried");
const system = form.dataset.system;
const per = system === "mm" ? 1000 : 25400;
const places = system === "mm" ? 2 : 4;
const map = () => document.getElementById("map");

const number = (box) => Number(box.value.replace(",", "."));
const write = (um) => (um / per).toFixed(places);
const draw = () => form.dispatchEvent(new Event("redraw"));
const actions = [...form.querySelectorAll("[data-string]")].sort((a, b) => a.dataset.string - b.dataset.string); // string 1, the treble, first
const ranges = [...form.querySelectorAll(".range")];
const started = new Map([...form.querySelectorAll(".input")].map((box) => [box, box.value]));

function follow(range) {
  const side = range.dataset.lane;
  const box = side ? (side === "treble" ? actions[0] : actions.at(-1)) : document.getElementById(range.dataset.for);
  const value = number(box);
  if (Number.isFinite(value)) range.value = box.name === "hand" ? value : Math.round(value * per);
  if (side) range.closest(".slide").querySelector("output").textContent = `${box.value} ${system}`;
}

// the outer strings carry those between along
function carry(range) {
  const at = range.dataset.lane === "treble" ? 0 : actions.length - 1;
  const by = Number(range.value) - number(actions[at]) * per;
  actions.forEach((box, i) => {
    const share = actions.length > 1 ? 1 - Math.abs(i - at) / (actions.length - 1) : 1;
    const now = number(box);
    if (Number.isFinite(now)) box.value = write(now * per + by * share);
  });
}

form.addEventListener("input", (event) => {
  const range = event.target.closest(".range");
  if (!range) { ranges.forEach(follow); return; }
  if (range.dataset.lane) {
    carry(range);
    range.closest(".slide").querySelector("output").textContent = `${write(Number(range.value))} ${system}`;
  } else {
    const box = document.getElementById(range.dataset.for);
    box.value = box.name === "hand" ? range.value : write(Number(range.value));
  }
}, true);

form.addEventListener("submit", (event) => {
  // Enter in a box draws; only the buttons that say so accept
  if (!event.submitter?.name) { event.preventDefault(); draw(); }
});

form.querySelector("[data-reset]").addEventListener("click", () => {
  for (const [box, value] of started) box.value = value;
  ranges.forEach(follow);
  draw();
});

function choose(string, fret) {
  const rows = [...map().querySelectorAll("tbody tr")];
  const s = Math.min(rows.length, Math.max(1, string));
  const f = Math.min(rows[0].querySelectorAll("button").length - 1, Math.max(Number(map().dataset.capo), fret));
  form.elements.string.value = s;
  form.elements.fretted.value = f;
  map().dataset.string = s;
  map().dataset.fret = f;
  const cell = map().querySelector(`[data-string="${s}"][data-fret="${f}"]`);
  map().querySelector(".at")?.classList.remove("at");
  cell.classList.add("at");
  document.getElementById("map-words").textContent = cell.title;
  draw();
}

document.addEventListener("click", (event) => {
  const cell = event.target.closest(".map-cell[data-string]");
  if (cell) { choose(Number(cell.dataset.string), Number(cell.dataset.fret)); return; }
  const fret = event.target.closest(".fret-at[data-fret]");
  if (fret) choose(Number(map().dataset.string), Number(fret.dataset.fret));
});

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.matches("input, textarea, select") || !map()) return;
  const string = Number(map().dataset.string);
  const fret = Number(map().dataset.fret);
  const keys = {
    ArrowRight: () => choose(string, fret + 1),
    ArrowLeft: () => choose(string, fret - 1),
    ArrowDown: () => choose(string + 1, fret),
    ArrowUp: () => choose(string - 1, fret),
    "]": () => choose(string - 1, fret),
    "[": () => choose(string + 1, fret),
  };
  if (keys[event.key]) { event.preventDefault(); keys[event.key](); }
});

ranges.forEach(follow);
