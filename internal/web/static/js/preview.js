// Hovering or focusing a button that decides something draws the outcome over the
// drawing as dashed outline. The server works it out; nothing is decided by it.

let timer, flight, shownFor;

function clear() {
  clearTimeout(timer);
  flight?.abort();
  shownFor = undefined;
  document.querySelectorAll("#drawing .ghost").forEach((g) => g.remove());
  document.dispatchEvent(new CustomEvent("yarvek:ghost"));
}

// What is sent by a button, or by a field of a form that has none: the segment that is pointed at as chosen.
function sentBy(el) {
  if (el.matches("button")) return new URLSearchParams(new FormData(el.form, el));
  const data = new URLSearchParams(new FormData(el.form));
  if (el.matches("[type=radio]")) data.set(el.name, el.value);
  return data;
}

async function show(button) {
  const form = button.form;
  const page = document.querySelector("#page");
  const svg = document.querySelector("#drawing svg");
  if (!form?.isConnected || !page || !svg || !form.checkValidity()) return;
  const data = sentBy(button);
  data.set("station", page.dataset.station);
  const turning = document.querySelector("#turntable")?.hidden === false;
  if (turning) data.set("view", "turntable");
  flight = new AbortController();
  try {
    const url = `/assets/${page.dataset.asset}/preview${location.search}`;
    const res = await fetch(url, { method: "POST", body: data, signal: flight.signal });
    if (!res.ok || res.status === 204 || shownFor !== button || !button.isConnected) return;
    if (turning) {
      document.dispatchEvent(new CustomEvent("yarvek:ghost", { detail: new Float32Array(await res.arrayBuffer()) }));
      return;
    }
    const text = await res.text();
    document.querySelectorAll("#drawing .ghost").forEach((g) => g.remove());
    svg.insertAdjacentHTML("beforeend", text);
  } catch { /* aborted, or the server is away: the drawing stays as it is */ }
}

function ask(e) {
  const button = e.target.closest?.("form[data-preview] button");
  if (!button || button.type !== "submit" || button === shownFor || button.disabled) return;
  clear();
  shownFor = button;
  timer = setTimeout(() => show(button), 120);
}

// In a section that is taken value by value the outcome is outlined while one types, or points at a segment.
function askField(e) {
  const label = e.type === "input" ? undefined : e.target.closest?.("label.btn-segment");
  const el = label ? document.getElementById(label.htmlFor) : e.target;
  const form = el?.form;
  if (!form?.matches("form.entries[data-preview]") || form.querySelector("[data-says]") || el.checked) return;
  if (!label && e.type !== "input") return;
  clear();
  shownFor = el;
  timer = setTimeout(() => show(el), label ? 120 : 350);
}

document.addEventListener("mouseover", ask);
document.addEventListener("focusin", ask);
document.addEventListener("mouseover", askField);
document.addEventListener("input", askField);
document.addEventListener("mouseout", (e) => { if (e.target.closest?.("label.btn-segment")) clear(); });
for (const kind of ["mouseout", "focusout"]) {
  document.addEventListener(kind, (e) => {
    if (shownFor && e.target.closest?.("button") === shownFor && !shownFor.contains(e.relatedTarget)) clear();
  });
}
document.addEventListener("submit", clear);
// A sheet that came anew has a new drawing; what is asked for on it already stays.
document.addEventListener("yarvek:sheet", () => { if (!shownFor?.isConnected) clear(); });
