// A decision brings the sheet anew and leaves the artist where they were: what was scrolled
// to, which sections were open, what was typed elsewhere, and where the focus was.

const onSheet = (e) => e.detail.target?.id === "page";
let place;

// What a form is, on any copy of the sheet: where it sends to and what it decides.
export function formKey(form) {
  const act = form.querySelector('input[type=hidden][name="act"]')?.value ?? "";
  return `${form.id}|${form.getAttribute("action")}|${act}`;
}

// What an element is: by its id, or by its form and what it sends.
function elementKey(el) {
  if (!el || el === document.body || !el.closest("#page")) return undefined;
  if (el.id) return `#${CSS.escape(el.id)}`;
  const value = el.type === "submit" ? el.value : undefined;
  if (el.form) return { form: formKey(el.form), name: el.name, value, text: el.textContent.trim() };
  return undefined;
}

function found(key) {
  if (typeof key === "string") return document.querySelector(key);
  if (!key) return undefined;
  const list = [...document.querySelectorAll("#page button, #page input, #page select")].filter((el) =>
    el.form && formKey(el.form) === key.form && el.name === key.name && (key.value === undefined ||
      el.value === key.value));
  return list.find((el) => el.textContent.trim() === key.text) ?? (list.length === 1 ? list[0] : undefined);
}

// The sections of a page, by name; "notes" of one station are none of another's.
const sections = () => [...document.querySelectorAll("#page details")];
const sectionKey = (d) => d.id || d.querySelector("summary")?.textContent.trim().split(":")[0];
const fields = () => [...document.querySelectorAll(".worksheet form :is(input, select, textarea)")].filter((el) =>
  el.form && el.name &&
  !["hidden", "file", "submit"].includes(el.type));
const standing = (el) => (["checkbox", "radio"].includes(el.type) ? el.checked : el.value);
const asCame = (el) => {
  if (["checkbox", "radio"].includes(el.type)) return el.defaultChecked;
  if (el.tagName === "SELECT") return ([...el.options].find((o) => o.defaultSelected) ?? el.options[0])?.value;
  return el.defaultValue;
};
const fieldKey = (el) => `${formKey(el.form)}|${el.name}|${["checkbox", "radio"].includes(el.type) ? el.value : ""}`;

function remember(sent) {
  const typed = new Map();
  for (const el of fields()) {
    if (standing(el) !== asCame(el)) typed.set(fieldKey(el), { value: standing(el), sent: formKey(el.form) === sent });
  }
  return {
    page: location.pathname,
    scroll: document.querySelector(".worksheet")?.scrollTop ?? 0,
    window: window.scrollY,
    open: new Map(sections().map((d) => [sectionKey(d), d.open])),
    focus: elementKey(document.activeElement),
    matter: Boolean(document.activeElement.closest?.(".finding")),
    typed,
  };
}

// After a refusal what was sent is typed still; after a decision the sheet has it.
function restore(was, refused) {
  for (const d of sections()) {
    const open = was.open.get(sectionKey(d));
    if (open) d.open = true;
  }
  for (const el of fields()) {
    const t = was.typed.get(fieldKey(el));
    if (!t || (t.sent && !refused)) continue;
    if (["checkbox", "radio"].includes(el.type)) el.checked = t.value;
    else el.value = t.value;
  }
  const sheet = document.querySelector(".worksheet");
  // A refusal is told at the top and must be seen.
  if (sheet && !refused) sheet.scrollTop = was.scroll;
  if (!refused) window.scrollTo(0, was.window);
  // Where a matter is settled its button is gone: the next matter has the focus.
  const sent = was.focus === "#send" && !refused && document.querySelector("#download");
  const el = sent || (found(was.focus) ?? (was.matter ? document.querySelector("#page .finding") : undefined));
  const moved = document.activeElement !== was.landed; // somebody is quicker than the sheet settles
  if (el && !moved && !el.disabled && !el.hidden) el.focus({ preventScroll: true });
}

// The form whose fields are on their way; what else is done meanwhile is kept as well.
let sent;
export function sending(key) { sent = key; }

document.addEventListener("htmx:beforeRequest", (e) => {
  const form = onSheet(e) && e.detail.elt.closest?.("form");
  if (form) sending(formKey(form));
});

document.addEventListener("htmx:beforeSwap", (e) => {
  if (!onSheet(e)) return;
  place = remember(sent);
  sent = undefined;
});

document.addEventListener("htmx:afterSwap", (e) => {
  if (onSheet(e) && place) place.landed = document.activeElement;
});

document.addEventListener("htmx:afterSettle", (e) => {
  if (!onSheet(e) || !place) return;
  const was = place;
  place = undefined;
  if (was.page === location.pathname) restore(was, e.detail.xhr.status >= 400);
});

// A decision replaces the entry of its station in the browser's history; a station adds one.
document.addEventListener("htmx:beforeHistoryUpdate", (e) => {
  const h = e.detail.history;
  if (!h?.path || e.detail.requestConfig?.verb !== "post") return;
  h.type = "replace";
  if (e.detail.xhr.status >= 400) h.path = location.pathname + location.search;
});
