// Follow what the server sends while this page is seen: a page that is hidden lets its line go, and takes it up where it was.
export function follow(address, { heard, lost = () => {} }) {
  let source = null;
  let newest = null;
  let again = null;
  function open() {
    clearTimeout(again);
    if (document.hidden || source) return;
    const url = new URL(address, location.href);
    if (newest) url.searchParams.set("since", newest);
    source = new EventSource(url);
    source.addEventListener("message", (event) => { newest = event.lastEventId || newest; heard(JSON.parse(event.data)); });
    source.addEventListener("error", () => {
      lost();
      if (source?.readyState !== EventSource.CLOSED) return; // it tries again by itself
      source = null;
      again = setTimeout(open, 3000);
    });
  }
  function close() { source?.close(); source = null; clearTimeout(again); }
  document.addEventListener("visibilitychange", () => (document.hidden ? close() : open()));
  window.addEventListener("pagehide", close);
  window.addEventListener("pageshow", open);
  open();
}
