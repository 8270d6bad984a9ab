// Trade words say what they mean when one points at them or comes to them by keyboard; Esc puts it away. What a finding
// means is shown below it, so that one stays where one is.

const said = document.createElement("div");
said.id = "word-says";
said.className = "word-says";
said.setAttribute("role", "tooltip");
said.hidden = true;
let of;

function show(word) {
  if (of === word) return;
  hide();
  of = word;
  document.body.append(said); // a new page has none
  const name = document.createElement("strong");
  name.textContent = word.dataset.word;
  said.replaceChildren(name, ` ${word.dataset.means}`);
  word.setAttribute("aria-describedby", said.id);
  said.hidden = false;
  const at = word.getBoundingClientRect();
  const box = said.getBoundingClientRect();
  said.style.left = `${Math.max(8, Math.min(at.left, innerWidth - box.width - 8))}px`;
  said.style.top = `${at.bottom + box.height + 8 < innerHeight ? at.bottom + 4 : at.top - box.height - 4}px`;
}

function hide() {
  of?.removeAttribute("aria-describedby");
  of = undefined;
  said.hidden = true;
}

const word = (e) => e.target.closest?.(".trade-word");
document.addEventListener("pointerover", (e) => {
  if (word(e)) show(word(e));
  else if (of && !said.contains(e.target) && document.activeElement !== of) hide();
});
document.addEventListener("focusin", (e) => { if (word(e)) show(word(e)); else hide(); });
document.addEventListener("keydown", (e) => { if (e.key === "Escape") hide(); });
document.addEventListener("scroll", hide, true);

document.addEventListener("click", async (e) => {
  const link = e.target.closest?.("a[data-why]");
  if (!link || e.ctrlKey || e.metaKey || e.shiftKey || e.button) return;
  e.preventDefault();
  const finding = link.closest(".finding");
  const there = finding.querySelector(".why-text");
  link.setAttribute("aria-expanded", String(!there));
  if (there) return there.remove();
  const url = new URL(link.href);
  const doc = new DOMParser().parseFromString(await (await fetch(url)).text(), "text/html");
  const box = document.createElement("div");
  box.className = "why-text";
  for (let el = doc.getElementById(url.hash.slice(1))?.nextElementSibling; el && !/^H[1-3]$/.test(el.tagName);
    el = el.nextElementSibling) box.append(el.cloneNode(true));
  const more = document.createElement("a");
  Object.assign(more, { href: link.href, textContent: "All of it in the guide" });
  more.setAttribute("hx-boost", "false");
  const p = document.createElement("p");
  p.append(more);
  box.append(p);
  link.closest("p").after(box);
});
