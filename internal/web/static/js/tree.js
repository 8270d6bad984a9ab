// The tree of nodes: what was looked for stays when a decision brings the sheet anew. The
// server finds; the fields ask it by themselves.

document.addEventListener("input", (e) => {
  if (!e.target.matches?.("[data-tree-find], [data-tree-kind]")) return;
  sessionStorage.setItem("tree", JSON.stringify([document.querySelector("#treefind").value,
    document.querySelector("#treekind").value]));
});

document.addEventListener("yarvek:sheet", () => {
  const find = document.querySelector("[data-tree-find]");
  const [text, kind] = JSON.parse(sessionStorage.getItem("tree") || '["",""]');
  if (!find || find.value || document.querySelector("#treekind").value || !text && !kind) return;
  find.value = text;
  document.querySelector("#treekind").value = kind;
  htmx.trigger(kind ? "#treekind" : "#treefind", kind ? "change" : "search");
});
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
  // It stands in the tree and belongs to the form of names: Enter in it must press no button of the tree.
  field.setAttribute("form", "nameform");
  field.addEventListener("keypress", (k) => { if (k.key === "Enter") k.preventDefault(); });
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
document.addEventListener("keydown", (e) =>
  { if (e.key === "Enter" && e.target.matches?.("[data-tree-find]")) e.preventDefault(); });
