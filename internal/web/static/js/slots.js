// Slots of an asset: put in order by dragging or by arrow keys, given pictures by dropping or choosing
// them, and pictures looked at one by one.

const rows = () => [...document.querySelectorAll("#slots tbody tr")];

// settle sends the order the rows stand in.
function settle() {
  const form = document.querySelector("#orderform");
  form.querySelectorAll('[name="order"]').forEach((e) => e.remove());
  for (const r of rows()) {
    const field = document.createElement("input");
    Object.assign(field, { type: "hidden", name: "order", value: r.dataset.slot });
    form.append(field);
  }
  form.requestSubmit();
}

let held, again, timer;

document.addEventListener("pointerdown", (e) => {
  const grip = e.target.closest?.("#slots .grip");
  if (!grip || e.button !== 0) return;
  held = { row: grip.closest("tr"), moved: false };
  grip.setPointerCapture?.(e.pointerId);
});
document.addEventListener("pointermove", (e) => {
  if (!held) return;
  const over = rows().find((r) => { const b = r.getBoundingClientRect(); return e.clientY >= b.top &&
    e.clientY < b.bottom; });
  if (!over || over === held.row) return;
  const below = rows().indexOf(over) > rows().indexOf(held.row);
  over[below ? "after" : "before"](held.row);
  held.moved = true;
});
document.addEventListener("pointerup", () => {
  if (!held) return;
  const { moved } = held;
  held = undefined;
  if (moved) settle();
});

// Arrow keys move a row; it is decided when they have rested.
document.addEventListener("keydown", (e) => {
  const grip = e.target.closest?.("#slots .grip");
  if (!grip || (e.key !== "ArrowUp" && e.key !== "ArrowDown")) return;
  e.preventDefault();
  const row = grip.closest("tr");
  const other = e.key === "ArrowUp" ? row.previousElementSibling : row.nextElementSibling;
  if (!other) return;
  other[e.key === "ArrowUp" ? "before" : "after"](row);
  grip.focus();
  again = row.dataset.slot;
  clearTimeout(timer);
  timer = setTimeout(settle, 500);
});
document.addEventListener("yarvek:sheet", () => {
  if (!again) return;
  document.querySelector(`#slots tr[data-slot="${CSS.escape(again)}"] .grip`)?.focus();
  again = undefined;
});

// send hands pictures to a slot, and shows what they seem to be for.
async function send(box, files) {
  const out = box.querySelector(".dropped");
  const data = new FormData();
  for (const f of files) data.append("file", f, f.name);
  out.textContent = "Sending…";
  try {
    const res = await fetch(box.dataset.drop, { method: "POST", body: data });
    const text = await res.text();
    const why = () => new DOMParser().parseFromString(text, "text/html").querySelector(".lead")?.textContent;
    if (!res.ok) throw new Error(why() || "They were not taken.");
    out.innerHTML = text;
    window.htmx.process(out);
    out.querySelector("select")?.focus();
  } catch (err) {
    out.textContent = err.message;
  }
}

const place = (e) => e.target.closest?.("[data-drop]");
document.addEventListener("dragover", (e) => { if (place(e)) { e.preventDefault(); place(e).classList.add("over"); } });
document.addEventListener("dragleave", (e) => place(e)?.classList.remove("over"));
document.addEventListener("drop", (e) => {
  const box = place(e);
  if (!box || !e.dataTransfer.files.length) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  box.classList.remove("over");
  send(box, e.dataTransfer.files);
}, true);
document.addEventListener("change", (e) => {
  if (e.target.matches("[data-pictures]") && e.target.files.length) send(e.target.closest("[data-drop]"),
    e.target.files);
});

// A picture opens in a dialog, beside what it was.
document.addEventListener("click", async (e) => {
  const link = e.target.closest?.("[data-picture]");
  const dialog = document.querySelector("#onepicture");
  if (e.target.closest?.("#onepicture [data-close]")) dialog.close();
  if (!link || !dialog || e.ctrlKey || e.metaKey || e.shiftKey) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  const res = await fetch(link.href);
  dialog.innerHTML = await res.text();
  window.htmx.process(dialog);
  dialog.showModal();
}, true);

// A picture of the artist's own is tried on the ticked slots, or on all: it stays in the browser.
function attempt(url) {
  const ticked = [...document.querySelectorAll('#slots [name="slot"]:checked')]
    .map((t) => t.closest("tr").querySelector("label").textContent);
  document.dispatchEvent(new CustomEvent("yarvek:try", { detail: { url, slots: ticked } }));
  document.querySelector("#untry").hidden = !url;
}
document.addEventListener("change", (e) => {
  if (e.target.matches("[data-try]") && e.target.files.length) attempt(URL.createObjectURL(e.target.files[0]));
});
document.addEventListener("click", (e) => { if (e.target.id === "untry") attempt(""); });
