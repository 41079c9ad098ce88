// The Level screen's keys: arrows walk the frets, x leaves one out or takes it back, r takes the reading that would help most. Clicks are plain links.

let fret = 0;

const bands = () => [...document.querySelectorAll("#level .toggle-band")];

function mark(n) {
  const all = bands();
  if (!all.length) return;
  fret = Math.min(all.length, Math.max(1, n));
  const walking = document.activeElement?.matches(".toggle-band");
  for (const band of all) {
    const here = Number(band.dataset.fret) === fret;
    band.classList.toggle("at", here);
    band.setAttribute("tabindex", here ? "0" : "-1");
    if (here && walking) band.focus();
  }
}

document.addEventListener("focusin", (event) => {
  const band = event.target.closest?.(".toggle-band");
  if (band) fret = Number(band.dataset.fret);
});

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || event.target.matches("input, textarea, select")) return;
  if (event.key === "ArrowRight") { event.preventDefault(); mark(fret + 1); }
  else if (event.key === "ArrowLeft") { event.preventDefault(); mark(fret - 1); }
  else if (event.key === "r") document.querySelector("[data-next-reading]")?.click();
  else if (event.key === "x" && fret) {
    event.preventDefault();
    // a true click: on a band that has only just been drawn it follows the link itself
    const band = bands().find((band) => Number(band.dataset.fret) === fret);
    band?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
  }
});

// after the figures have followed, the neck is a new drawing: put the mark back
document.addEventListener("htmx:afterSwap", () => { if (fret) mark(fret); });

// a call that changes is heard: the region stays, the panel is drawn again
const heard = document.getElementById("level-heard");
let last = document.querySelector(".call-panel h2")?.textContent;
document.addEventListener("htmx:afterSettle", () => {
  const now = document.querySelector(".call-panel h2")?.textContent;
  if (now !== last) heard.textContent = last = now;
});
