// What a browser keeps of a sheet beyond the page: which sections of a station are open, for good, and what was typed
// and not sent, as long as the tab lives.

import { formKey } from "./place.js";

const page = () => document.querySelector("#page");
const foldKey = (d) => d.id && page() && `fold ${page().dataset.station} ${d.id}`;

function read(store, key) {
  try { return store.getItem(key); } catch { return null; } // a browser may forbid it
}
function write(store, key, value) {
  try {
    if (value === null) store.removeItem(key);
    else store.setItem(key, value);
  } catch { /* it is full, or forbidden: nothing is kept */ }
}

// A section that is pressed is remembered; one that was opened by something else is not.
document.addEventListener("click", (e) => {
  const d = e.target.closest?.("#worksheet summary")?.parentElement;
  if (d && foldKey(d)) setTimeout(() => write(localStorage, foldKey(d), d.open ? "open" : "shut"));
});

function folds() {
  for (const d of document.querySelectorAll("#worksheet details[id]")) {
    const was = read(localStorage, foldKey(d));
    if (was === "open") d.open = true;
    if (was === "shut" && !d.querySelector(".lit")) d.open = false;
  }
}

// Typed values, by what their forms are; what is sent or given up is forgotten.
const typedKey = () => `typed ${location.pathname}`;
const kept = () => JSON.parse(read(sessionStorage, typedKey()) ?? "{}");
const fieldKey = (el) => `${formKey(el.form)}|${el.name}|${el.id}`;
const textual = (el) => el.form && el.name && el.closest("#worksheet") &&
  el.matches("input:not([type=hidden]):not([type=file]):not([type=radio]):not([type=checkbox]), textarea");

document.addEventListener("input", (e) => {
  const el = e.target;
  if (!textual(el) || el.matches("[type=search]")) return;
  const all = kept();
  if (el.value === el.defaultValue) delete all[fieldKey(el)];
  else all[fieldKey(el)] = el.value;
  write(sessionStorage, typedKey(), Object.keys(all).length ? JSON.stringify(all) : null);
});

document.addEventListener("submit", (e) => {
  const form = e.target;
  if (!form.closest?.("#worksheet")) return;
  const all = kept();
  for (const el of form.elements) delete all[fieldKey(el)];
  write(sessionStorage, typedKey(), Object.keys(all).length ? JSON.stringify(all) : null);
}, true);

function typed() {
  const all = kept();
  for (const el of document.querySelectorAll("#worksheet input, #worksheet textarea")) {
    if (textual(el) && fieldKey(el) in all) el.value = all[fieldKey(el)];
  }
}

// What an undo lit is lit once: a reload has the sheet as it is.
function plain() {
  const q = new URLSearchParams(location.search);
  if (!q.has("undone") && !q.has("redone")) return;
  q.delete("undone");
  q.delete("redone");
  history.replaceState(history.state, "", location.pathname + (q.size ? `?${q}` : ""));
  document.querySelector("#worksheet .lit")?.scrollIntoView({ block: "center" });
}

function begin() {
  if (!page()) return;
  folds();
  plain();
}
document.addEventListener("yarvek:sheet", begin);
begin();
if (page()) typed();
