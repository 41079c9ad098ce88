// What takes seconds says so: a form with data-wait shows those words once it is sent, and is not sent a second time meanwhile.

const sent = new Set();

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!form.dataset.wait) return;
  if (sent.has(form)) { event.preventDefault(); return; }
  sent.add(form);
  const said = document.createElement("p");
  said.className = "waits";
  said.setAttribute("role", "status");
  form.append(said);
  (event.submitter ?? form).setAttribute("aria-busy", "true");
  setTimeout(() => { said.textContent = form.dataset.wait; }, 50); // a region that is there first is heard
});

// a page that is come back to is as it was
addEventListener("pageshow", (event) => {
  if (!event.persisted) return;
  sent.clear();
  for (const said of document.querySelectorAll(".waits")) said.remove();
  for (const busy of document.querySelectorAll("[aria-busy]")) busy.removeAttribute("aria-busy");
});
