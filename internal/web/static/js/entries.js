// Sections of entries: the button says what will come of what is typed, and a section without one is taken as soon
// as a value is: on Enter, and on leaving a field.

// What stands in the place of {name} in a button's words: what is typed, or what is in force without.
function inForce(form, name) {
  const fields = [...form.elements].filter((el) => el.name === name && el.type !== "hidden");
  const one = fields.find((el) => el.type === "radio" ? el.checked : true);
  if (!one) return "";
  if (one.tagName === "SELECT") return one.selectedOptions[0]?.textContent ?? "";
  return one.value.trim() || one.placeholder || "";
}

document.addEventListener("input", (e) => {
  const form = e.target.closest?.("form.entries");
  const button = form?.querySelector("[data-says]");
  if (!button) return;
  button.textContent = button.dataset.says.replace(/\{(\w+)\}/g, (_, name) => inForce(form, name));
});

// A row counts with what another one has: data-when="form=hulls|hull", with * for anything that is typed.
function counts(form, when) {
  const at = when.indexOf("=");
  const field = [...form.elements].filter((el) => el.name === when.slice(0, at) && el.type !== "hidden")
    .find((el) => el.type !== "radio" || el.checked);
  const value = field?.value.trim() ?? "";
  return when.slice(at + 1).split("|").some((v) => v === value || (v === "*" && value !== ""));
}

document.addEventListener("input", (e) => {
  const form = e.target.closest?.("form.entries");
  for (const row of form?.querySelectorAll("[data-when]") ?? []) row.hidden = !counts(form, row.dataset.when);
});

// Enter sends a form by itself, right after the change that sends it too: it is sent once.
const sent = new WeakMap();

document.addEventListener("submit", (e) => sent.set(e.target, performance.now()), true);

document.addEventListener("change", (e) => {
  const form = e.target.closest?.("form.entries");
  if (!form || form.querySelector("[data-says]")) return;
  setTimeout(() => {
    if (form.isConnected && performance.now() - (sent.get(form) ?? -1e9) > 400) form.requestSubmit();
  });
});
