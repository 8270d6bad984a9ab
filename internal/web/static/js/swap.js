// Helps htmx swap the sheet: selects that send themselves, pages that are not a
// sheet, and where the focus goes.

document.addEventListener("change", (e) => {
  const el = e.target;
  if (el.matches("[data-send]")) el.form.requestSubmit();
  if (el.matches("[data-custom]")) {
    const other = document.querySelector(el.dataset.custom);
    other.hidden = el.value !== "custom";
    if (!other.hidden) other.focus();
  }
  if (el.closest("[data-companions]") && el.files?.length) el.form.submit();
});

document.addEventListener("htmx:beforeSwap", (e) => {
  const text = e.detail.xhr.responseText;
  if (e.detail.target?.id === "page" && !text.includes('id="page"')) {
    e.detail.shouldSwap = false;
    const doc = new DOMParser().parseFromString(text, "text/html");
    document.body.replaceWith(doc.body);
  }
});

document.addEventListener("htmx:afterSettle", () => {
  if (document.activeElement === document.body) document.querySelector("#main")?.focus({ preventScroll: true });
  document.dispatchEvent(new Event("yarvek:sheet"));
});

document.addEventListener("htmx:sendError", () => {
  document.querySelector("#say").textContent =
    "Yarvek does not answer. Is it still running? What was done last may not be kept; look again once it does.";
});

// A button opens the file chooser of its form.
document.addEventListener("click", (e) => {
  const button = e.target.closest?.("[data-choose]");
  if (button) button.form.querySelector("input[type=file]").click();
});
