// Keys pressed while a page's scripts are still on their way are kept and pressed again once all of them listen; so are taps on a place
// that a script goes to without a new page ([data-held]), and what is typed after such a tap. It stands first and waits for nothing.
{
  const kept = [];
  let tapped = false;
  const stop = (event) => { event.stopImmediatePropagation(); kept.push(event); };
  const keep = (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.key === "Tab") return;
    if (tapped) event.preventDefault();
    else if (event.target.matches?.("input, textarea, select")) return;
    stop(event);
  };
  const tap = (event) => {
    if (event.button || event.ctrlKey || event.metaKey || event.shiftKey || !event.target.closest?.("[data-held] a")) return;
    tapped = true;
    event.preventDefault();
    stop(event);
  };
  const press = ({ key, code, shiftKey, repeat }) => {
    const where = document.activeElement ?? document.body;
    const goes = where.dispatchEvent(new KeyboardEvent("keydown", { key, code, shiftKey, repeat, bubbles: true, cancelable: true }));
    if (!goes || !where.matches("input")) return;
    if (key === "Enter") where.form?.requestSubmit();
    else if (key.length === 1) where.setRangeText(key, where.selectionStart, where.selectionEnd, "end");
  };
  window.addEventListener("keydown", keep, true);
  window.addEventListener("click", tap, true);
  // scripts that are deferred, and modules with all they take in, have run by now
  document.addEventListener("DOMContentLoaded", () => {
    window.removeEventListener("keydown", keep, true);
    window.removeEventListener("click", tap, true);
    for (const event of kept) event.type === "click" ? event.target.click() : press(event);
  });
}
