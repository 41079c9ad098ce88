// What takes seconds says so: a form with data-wait shows those words once it is sent, and is not sent a second time meanwhile. With data-progress it
// says how far it is, from that address, and with data-stop it has a button that ends it.

const LOOK_MS = 500;
const sent = new Set();
let looking = 0;

async function look(form, words) {
  const answer = await fetch(form.dataset.progress).catch(() => null);
  const said = answer?.ok ? (await answer.text()).replace(/\s+/g, " ").trim() : "";
  if (said) words.textContent = `${form.dataset.wait} ${said}`;
}

function stopButton(form) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "button";
  button.textContent = "Stop with the best so far";
  button.addEventListener("click", () => {
    button.disabled = true;
    fetch(form.dataset.stop, { method: "POST", headers: { "X-CSRFToken": form.elements.csrf_token.value } });
  });
  return button;
}

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!form.dataset.wait) return;
  if (sent.has(form)) { event.preventDefault(); return; }
  sent.add(form);
  const said = document.createElement("div");
  said.className = "waits";
  const words = document.createElement("p");
  words.setAttribute("role", "status");
  said.append(words);
  if (form.dataset.stop) said.append(stopButton(form));
  form.append(said);
  (event.submitter ?? form).setAttribute("aria-busy", "true");
  setTimeout(() => { words.textContent = form.dataset.wait; }, 50); // a region that is there first is heard
  if (form.dataset.progress) looking = setInterval(look, LOOK_MS, form, words);
});

// a page that is come back to is as it was
addEventListener("pageshow", (event) => {
  if (!event.persisted) return;
  sent.clear();
  clearInterval(looking);
  for (const said of document.querySelectorAll(".waits")) said.remove();
  for (const busy of document.querySelectorAll("[aria-busy]")) busy.removeAttribute("aria-busy");
});
