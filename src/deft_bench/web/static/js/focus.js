// Focus stays where it was: over a part of the page that is drawn again, and over a form that was sent. One stop of the Tab key
// for what the arrows walk: a strip of frets, the bands on a neck. Boxes that are refused while they are typed in say so.

const KEPT = "deft-focus";
const KEPT_MS = 15_000;

// ways to find an element again, the surest first
function ways(element) {
  const found = [];
  const tag = element.tagName.toLowerCase();
  const quoted = (name) => `[${name}="${CSS.escape(element.getAttribute(name))}"]`;
  if (element.id) found.push(`#${CSS.escape(element.id)}`);
  for (const names of [["name", "value"], ["data-lane", "data-fret"], ["data-fret"], ["formaction"], ["aria-label"], ["href"]]) {
    if (names.every((name) => element.hasAttribute(name))) found.push(tag + names.map(quoted).join(""));
  }
  if (element.getAttribute("name") && tag !== "button") found.push(`${tag}${quoted("name")}`);
  const form = element.closest("form[action]");
  if (form) found.push(`form[action="${CSS.escape(form.getAttribute("action"))}"] ${tag}`);
  return found;
}

function focusAgain(list) {
  for (const way of list) {
    const element = document.querySelector(way);
    if (!element) continue;
    element.focus({ preventScroll: true });
    if (document.activeElement === element) return true;
  }
  return false;
}

const lost = () => !document.activeElement || document.activeElement === document.body;
let before = null;
let along = null;
document.addEventListener("htmx:beforeSwap", () => {
  before = lost() ? null : ways(document.activeElement);
  along = document.querySelector(".stage-wrap")?.scrollLeft;
});
document.addEventListener("htmx:afterSettle", () => {
  settle();
  if (along) document.querySelector(".stage-wrap")?.scrollTo({ left: along });
  if (before && lost() && !focusAgain(before)) document.getElementById("main").focus({ preventScroll: true });
});

// a box that was refused while it was typed in says so itself, not only the words under it
document.addEventListener("htmx:oobAfterSwap", (event) => {
  const said = document.getElementById(event.detail.target?.id); // what stands there now, not what it took the place of
  if (!said?.id.startsWith("e-")) return;
  const refused = Boolean(said.textContent.trim());
  for (const box of document.querySelectorAll(`[aria-describedby~="${CSS.escape(said.id)}"]`)) {
    if (refused) box.setAttribute("aria-invalid", "true");
    else box.removeAttribute("aria-invalid");
    box.closest(".field")?.classList.toggle("wrong", refused);
  }
});

document.addEventListener("submit", (event) => {
  const element = event.submitter ?? document.activeElement;
  if (!event.target.method || event.target.method === "dialog" || !element || element === document.body) return;
  const keep = { at: Date.now(), path: location.pathname, title: document.title, scroll: scrollY, ways: ways(element) };
  sessionStorage.setItem(KEPT, JSON.stringify(keep));
});

const kept = JSON.parse(sessionStorage.getItem(KEPT) ?? "null");
sessionStorage.removeItem(KEPT);
function back() {
  if (!lost()) return;
  const here = kept.path === location.pathname && kept.title === document.title; // a stage and its debrief are two pages
  if (here && !location.hash) scrollTo(0, kept.scroll);
  const asks = document.querySelector("[autofocus]"); // a page that says where to begin is right
  if (asks) asks.focus();
  else if (!here || !focusAgain(kept.ways)) {
    (document.querySelector("main [data-first]") ?? document.getElementById("main")).focus({ preventScroll: true });
  }
}
if (kept && Date.now() - kept.at < KEPT_MS) {
  // going to a place on the page takes the focus away once more
  if (location.hash) addEventListener("load", () => setTimeout(back));
  else back();
}

// what the arrows walk is one stop of the Tab key
const members = (group) => [...group.querySelectorAll(group.dataset.walks)];
function settle() {
  for (const group of document.querySelectorAll("[data-walks]")) {
    const all = members(group);
    const at = all.find((one) => one === document.activeElement) ?? all.find((one) => one.matches(".at")) ?? all[0];
    for (const one of all) one.setAttribute("tabindex", one === at ? "0" : "-1");
  }
  for (const one of document.querySelectorAll(".scroll-x, .paper, .lane-row, pre")) {
    if (one.scrollWidth > one.clientWidth + 1 && getComputedStyle(one).overflowX === "auto") one.setAttribute("tabindex", "0");
    else one.removeAttribute("tabindex");
  }
}
settle();
addEventListener("resize", settle);

// a neck that is wider than the screen begins where there is something to see: the frets of the call, or what stands off
for (const wrap of document.querySelectorAll(".stage-wrap")) {
  const what = wrap.querySelector(".band.lift, .band:not(.short)") ?? wrap.querySelector("path.proud, path.low");
  if (!what || wrap.scrollWidth <= wrap.clientWidth) continue;
  const [seen, frame] = [what.getBoundingClientRect(), wrap.getBoundingClientRect()];
  wrap.scrollLeft = Math.max(0, seen.left + seen.width / 2 - frame.left - frame.width / 2);
}

const STEPS = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 };
document.addEventListener("keydown", (event) => {
  const group = event.target.closest?.("[data-walks]");
  const by = STEPS[event.key];
  if (!group || !by || group.dataset.walked === "own" || event.ctrlKey || event.metaKey || event.altKey) return;
  const all = members(group);
  const next = all[all.indexOf(event.target) + by];
  if (!all.includes(event.target)) return;
  event.preventDefault();
  event.stopPropagation();
  if (!next) return;
  event.target.setAttribute("tabindex", "-1");
  next.setAttribute("tabindex", "0");
  next.focus();
});
