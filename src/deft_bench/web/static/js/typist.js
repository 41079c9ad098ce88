// A gauge that types is told from the hand by its speed: signs follow each other in less than 35 ms, and Enter, Tab or silence ends them.
const QUICK = 35;
const SILENT = 90;
const LEAST = 3;

export function typist(box, taken) {
  let signs = "";
  let before = "";
  let last = 0;
  let ends = null;
  const isBurst = () => signs.length >= LEAST;
  function end() {
    clearTimeout(ends);
    const line = signs;
    const burst = isBurst();
    signs = "";
    if (burst) { box.value = before; taken(line); }
    return burst;
  }
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.isComposing) return;
    const quick = event.timeStamp - last < QUICK;
    last = event.timeStamp;
    if (event.key === "Enter" || event.key === "Tab") {
      if (quick && isBurst()) { event.preventDefault(); event.stopImmediatePropagation(); end(); } else signs = "";
      return;
    }
    if (event.key.length !== 1) return;
    if (!quick) { signs = ""; before = box.value; }
    signs += event.key;
    // from the third sign on it is no hand: what it types is no key of the page
    if (isBurst()) { event.preventDefault(); event.stopImmediatePropagation(); }
    clearTimeout(ends);
    ends = setTimeout(end, SILENT);
  }, { capture: true });
}
