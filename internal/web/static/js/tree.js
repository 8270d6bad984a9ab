// The tree of nodes: find by name or slot, and show one kind.

function filter() {
  const find = document.querySelector("[data-tree-find]");
  if (!find) return;
  const want = find.value.trim().toLowerCase();
  const kind = document.querySelector("[data-tree-kind]").value;
  sessionStorage.setItem("tree", JSON.stringify([find.value, kind]));
  const rows = document.querySelectorAll("#treeform tbody tr");
  let shown = 0;
  for (const row of rows) {
    const on = (!want || row.dataset.words.toLowerCase().includes(want)) && (!kind || row.dataset.kinds.split("|").includes(kind));
    row.hidden = !on;
    if (on) shown++;
    else { const tick = row.querySelector("input"); if (tick) tick.checked = false; }
  }
  document.querySelector("[data-tree-count]").textContent = want || kind ? `${shown} of ${rows.length}` : "";
}

document.addEventListener("input", (e) => { if (e.target.matches?.("[data-tree-find], [data-tree-kind]")) filter(); });

// What was looked for stays when a decision brings the sheet anew.
function restore() {
  const find = document.querySelector("[data-tree-find]");
  if (!find) return;
  const [text, kind] = JSON.parse(sessionStorage.getItem("tree") || '["",""]');
  find.value = text;
  document.querySelector("[data-tree-kind]").value = kind;
  filter();
}
document.addEventListener("yarvek:sheet", restore);
document.addEventListener("DOMContentLoaded", () => sessionStorage.removeItem("tree"));

// A name in the tree is renamed where it stands: Enter keeps it, Escape does not.
document.addEventListener("click", (e) => {
  const button = e.target.closest?.("[data-rename]");
  if (!button) return;
  const field = document.createElement("input");
  field.className = "in-place";
  field.value = button.textContent;
  field.maxLength = 120;
  field.setAttribute("aria-label", `New name of ${button.textContent}`);
  button.replaceWith(field);
  field.focus();
  field.select();
  let done = false;
  const back = (focus) => {
    if (done) return;
    done = true;
    field.replaceWith(button);
    if (focus) button.focus();
  };
  field.addEventListener("keydown", (k) => {
    if (k.key === "Escape") back(true);
    if (k.key !== "Enter") return;
    k.preventDefault();
    done = true;
    const form = document.querySelector("#nameform");
    form.elements.key.value = button.dataset.rename;
    form.elements.name.value = field.value;
    form.requestSubmit();
  });
  field.addEventListener("blur", () => back(false));
});

// Enter in a field of the tree must not press its first button.
document.addEventListener("keydown", (e) => { if (e.key === "Enter" && e.target.matches?.("[data-tree-find]")) e.preventDefault(); });
