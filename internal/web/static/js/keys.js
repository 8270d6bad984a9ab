// The keys of a page. They rest while somebody types.

const typing = (el) => el.matches?.("input:not([type=radio]), select, textarea") ||
  document.querySelector("dialog[open]");

const go = (url) => { location.href = url; };

function help() {
  const d = document.querySelector("#keys");
  if (d && !d.open) d.showModal();
}

document.addEventListener("click", (e) => {
  if (e.target.closest("[data-keys-help]")) help();
});

document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || typing(e.target)) return;
  if (e.key === "?") return help();
  const page = document.querySelector("#page");
  if (e.key === "n") return onward(page ? worksheetSteps()
    : [...document.querySelectorAll(".job a, .assets .row-link")]);
  if (page) sheetKey(e, page);
  else if (document.querySelector("[data-kit]")) kitKey(e);
});

function sheetKey(e, page) {
  const { prev, next, kit, station } = page.dataset;
  if (/^[0-9]$/.test(e.key)) return document.querySelector(`[data-station-key="${e.key}"]`)?.click();
  switch (e.key) {
    case "[": if (prev !== "0") go(`/assets/${prev}/${station}`); break;
    case "]": if (next !== "0") go(`/assets/${next}/${station}`); break;
    case "u": document.querySelector("#undo")?.click(); break;
    case "U": document.querySelector("#redo")?.click(); break;
    case "v": document.querySelector('[data-view][aria-pressed="false"]')?.click(); break;
    case "k": go(`/kits/${kit}`); break;
  }
}

// What there is to do on a sheet, in order: all proposals at once, the first remedy of each
// finding, what is to be sent, the certificate's file, and the next station that is not
// settled.
function worksheetSteps() {
  const steps = [...document.querySelectorAll(
    "#takeall, .finding .remedies > form:first-of-type button, #send, #download")];
  const here = document.querySelector(".tape a.here");
  const open = [...document.querySelectorAll(".tape a")].filter((a) => a !== here &&
    a.querySelector(".sign.must, .sign.look"));
  return [...steps, ...open.slice(0, 1), ...(open.length ? [] : document.querySelectorAll(".tape a:last-child"))];
}

// onward goes to the step after the one that has the focus, and opens what it lies in.
function onward(steps) {
  const el = steps[(steps.indexOf(document.activeElement) + 1) % steps.length];
  for (let d = el?.closest("details"); d; d = d.parentElement.closest("details")) d.open = true;
  el?.focus();
}

function kitKey(e) {
  if (e.key === "a") return document.querySelector(".top .drop input").click();
  if (e.key === "/") {
    e.preventDefault();
    return document.querySelector("#find")?.focus();
  }
  if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
  const links = [...document.querySelectorAll(".assets .row-link")];
  if (!links.length) return;
  e.preventDefault();
  const at = links.indexOf(document.activeElement);
  const step = e.key === "ArrowDown" ? 1 : -1;
  links[at < 0 ? 0 : Math.min(links.length - 1, Math.max(0, at + step))].focus();
}

// The chosen row lights its asset on the line-up.
document.addEventListener("focusin", (e) => {
  const id = e.target.closest?.(".assets tr")?.querySelector(".row-link")?.getAttribute("href")?.split("/")[2];
  for (const el of document.querySelectorAll(".lineup .stand")) {
    el.classList.toggle("chosen", el.dataset.asset === id);
    if (el.dataset.asset === id) el.scrollIntoView({ block: "nearest", inline: "nearest" });
  }
});
