// Keys pressed while a page's scripts are still on their way are kept and pressed again once all of them listen. It stands first and waits for nothing.
{
  const kept = [];
  const keep = (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.key === "Tab" || event.target.matches?.("input, textarea, select")) return;
    event.stopImmediatePropagation();
    kept.push(event);
  };
  window.addEventListener("keydown", keep, true);
  // scripts that are deferred, and modules with all they take in, have run by now
  document.addEventListener("DOMContentLoaded", () => {
    window.removeEventListener("keydown", keep, true);
    for (const { key, code, shiftKey, repeat } of kept) {
      const where = document.activeElement ?? document.body;
      where.dispatchEvent(new KeyboardEvent("keydown", { key, code, shiftKey, repeat, bubbles: true, cancelable: true }));
    }
  });
}
