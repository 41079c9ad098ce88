// Boxes for days: a calendar beside each, whose choice is written as days are written everywhere. Without this file days are typed.

const SHORT = { weekday: "short", day: "numeric", month: "short" };
const words = (at) => {
  const part = Object.fromEntries(new Intl.DateTimeFormat("en-GB", SHORT).formatToParts(at).map(({ type, value }) => [type, value]));
  const year = at.getFullYear() === new Date().getFullYear() ? "" : ` ${at.getFullYear()}`;
  return `${part.weekday} ${part.day} ${part.month.slice(0, 3)}${year}`;
};
const two = (n) => String(n).padStart(2, "0");

function calendar(box) {
  const timed = box.dataset.day === "moment";
  const picker = document.createElement("input");
  picker.type = timed ? "datetime-local" : "date";
  picker.className = "day-picker";
  picker.tabIndex = -1;
  picker.setAttribute("aria-hidden", "true");
  if (!picker.showPicker) return;
  const button = document.createElement("button");
  button.type = "button";
  button.className = "button day-button";
  button.setAttribute("aria-label", `Calendar for ${box.getAttribute("aria-label") ?? box.labels?.[0]?.textContent.trim() ?? "this day"}`);
  button.innerHTML = '<svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true"><path d="M2 3.5h12v10H2zM2 6.5h12M5 2v3M11 2v3" fill="none" stroke="currentColor" stroke-width="1.4"/></svg>';
  button.addEventListener("click", () => picker.showPicker());
  picker.addEventListener("change", () => {
    const at = new Date(timed ? picker.value : `${picker.value}T12:00`);
    if (Number.isNaN(at.valueOf())) return;
    box.value = timed ? `${words(at)}, ${two(at.getHours())}:${two(at.getMinutes())}` : words(at);
    box.dispatchEvent(new Event("change", { bubbles: true }));
    box.focus();
  });
  box.after(picker, button);
}

for (const box of document.querySelectorAll("input[data-day]")) calendar(box);
