// Marks on the assets of a kit: by mouse, by key, and in ranges. They stay while one filters, sorts and comes back,
// until the tab is closed, and the form at the foot of the list sends them.

const form = () => document.querySelector("#marked");
const key = () => `marks-${form()?.dataset.marks}`;
const kept = () => new Set(JSON.parse(sessionStorage.getItem(key()) ?? "[]"));
const boxes = () => [...document.querySelectorAll("[data-mark]")];
const found = () => (document.querySelector(".assets[data-found]")?.dataset.found ?? "").split(" ").filter(Boolean);

// show puts the marks on rows, on the line-up and on the form.
function show() {
  if (!form()) return;
  const marks = kept();
  for (const b of boxes()) {
    b.checked = marks.has(b.value);
    b.closest("tr").classList.toggle("marked-row", b.checked);
  }
  for (const el of document.querySelectorAll(".lineup .stand")) {
    el.classList.toggle("marked", marks.has(el.dataset.asset));
  }
  const all = document.querySelector("[data-mark-all]"), here = found();
  if (all) {
    const n = here.filter((id) => marks.has(id)).length;
    all.checked = n > 0 && n === here.length;
    all.indeterminate = n > 0 && n < here.length;
  }
  form().hidden = !marks.size;
  form().querySelector("[data-marks-count]").textContent = `${marks.size} marked`;
}

function keep(marks) {
  sessionStorage.setItem(key(), JSON.stringify([...marks]));
  show();
}

let last; // the row marked before, from which a range goes

function mark(box, range) {
  const marks = kept(), list = boxes();
  const from = range && last ? list.findIndex((b) => b.value === last) : -1, to = list.indexOf(box);
  const some = from < 0 ? [box] : list.slice(Math.min(from, to), Math.max(from, to) + 1);
  for (const b of some) if (box.checked) marks.add(b.value); else marks.delete(b.value);
  last = box.value;
  keep(marks);
}

document.addEventListener("click", (e) => {
  const box = e.target.closest?.("[data-mark]");
  if (box) return mark(box, e.shiftKey);
  if (e.target.closest?.("[data-unmark]")) return keep(new Set());
  const all = e.target.closest?.("[data-mark-all]");
  if (!all) return;
  const marks = kept();
  for (const id of found()) if (all.checked) marks.add(id); else marks.delete(id);
  keep(marks);
});

document.addEventListener("keydown", (e) => {
  if (e.key !== "x" && e.key !== "X" || e.ctrlKey || e.metaKey || e.altKey || !form()) return;
  if (e.target.matches("input:not([type=checkbox]), select, textarea")) return;
  const box = document.activeElement?.closest("tr")?.querySelector("[data-mark]");
  if (!box) return;
  box.checked = !box.checked;
  mark(box, e.key === "X");
});

// What is marked goes along with the form, whether it is sent by a request or leads to another page; from there on
// nothing is marked any more.
document.addEventListener("formdata", (e) => {
  if (e.target.id === "marked") for (const id of kept()) e.formData.append("asset", id);
});
document.addEventListener("submit", (e) => {
  if (e.target.id === "marked" && e.submitter?.formAction) setTimeout(() => keep(new Set()));
});
document.addEventListener("htmx:configRequest", (e) => {
  if (e.detail.elt.closest("#marked")) e.detail.parameters.asset = [...kept()];
});
document.addEventListener("htmx:afterSettle", show);
show();
