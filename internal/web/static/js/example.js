// The worked example on an asset's sheet: which step is next stands above the worksheet, and what is to be pressed is
// marked. Whether it is shown is this browser's to know; how far it is, the asset's own decisions say.

const page = () => document.querySelector("#page[data-asset]");
const key = () => `example-${page().dataset.asset}`;
const kept = (value) => {
  try {
    if (value !== undefined) localStorage.setItem(key(), value);
    return localStorage.getItem(key());
  } catch {
    return null; // a browser that keeps nothing shows no example
  }
};

// pressable finds what a page calls by a name, of what is seen.
function pressable(name) {
  const all = document.querySelectorAll(".tape a, header.top button, #worksheet :is(button, a, select)");
  const is = (el) => (el.querySelector?.(".tape-name") ?? el).textContent.trim().replace(/\s+/g, " ") === name;
  const has = (el) => [...el.options].some((o) => o.text.split(",")[0] === name);
  return [...all].find((el) => (el.tagName === "SELECT" ? has(el) : is(el)));
}

async function show() {
  document.querySelector("#example")?.remove();
  document.querySelectorAll(".to-press").forEach((el) => el.classList.remove("to-press"));
  if (!page()) return;
  const url = new URL(location.href);
  if (url.searchParams.has("example")) {
    kept("on");
    url.searchParams.delete("example");
    history.replaceState(history.state, "", url);
  }
  const state = kept();
  const sheet = document.querySelector("#worksheet");
  if (!state || !sheet) return;
  if (state === "left") return sheet.prepend(again());
  const at = page();
  const res = await fetch(`/assets/${at.dataset.asset}/example?at=${at.dataset.station}`);
  if (!res.ok || page() !== at) return;
  document.querySelector("#example")?.remove();
  sheet.insertAdjacentHTML("afterbegin", await res.text());
  const name = document.querySelector("#example [data-press]")?.dataset.press;
  if (name) pressable(name)?.classList.add("to-press");
}

// again is the way back into it.
function again() {
  const p = document.createElement("p");
  p.id = "example";
  p.className = "example-left";
  const button = document.createElement("button");
  Object.assign(button, { type: "button", className: "btn btn-link btn-small",
    textContent: "Take the worked example up again" });
  button.addEventListener("click", () => { kept("on"); show(); });
  p.append(button);
  return p;
}

document.addEventListener("click", (e) => {
  if (!e.target.closest?.("[data-example-leave]")) return;
  kept("left");
  show();
});
document.addEventListener("htmx:afterSettle", (e) => { if (e.target.id === "page") show(); });
show();
