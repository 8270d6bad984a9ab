// The ladder drawing: handles on the distance axis are dragged or moved by keys, the outline of a
// LOD is magnified while it is pointed at, and two LODs are set side by side.

const round = (m) => Number(m.toPrecision(3));
const length = (m) => (m >= 0.1 ? `${round(m)} m` : `${round(m * 1000)} mm`);

// What a handle's drawing says of its axis.
function axis(svg) {
  const { near, far, left, right } = Object.fromEntries(Object.entries(svg.dataset).map(([k, v]) => [k, Number(v)]));
  const span = Math.log(far / near);
  return {
    x: (d) => left + ((right - left) * Math.log(d / near)) / span,
    at: (x) => near * Math.exp(((x - left) / (right - left)) * span),
    far, near,
  };
}

// Where a handle may go: between those beside it.
function bounds(handle) {
  const svg = handle.closest("svg");
  const { near, far } = axis(svg);
  const list = [...svg.querySelectorAll(".handle")];
  const i = list.indexOf(handle);
  const now = (h) => Number(h.getAttribute("aria-valuenow"));
  return [i > 0 ? now(list[i - 1]) * 1.02 : near, i + 1 < list.length ? now(list[i + 1]) / 1.02 : far];
}

// move shows a handle at a distance; nothing is decided by it.
function move(handle, metres) {
  const svg = handle.closest("svg");
  const [low, high] = bounds(handle);
  const d = round(Math.min(Math.max(metres, low), Math.max(low, high)));
  handle.setAttribute("transform", `translate(${axis(svg).x(d).toFixed(1)} 0)`);
  handle.setAttribute("aria-valuenow", String(d));
  handle.setAttribute("aria-valuetext", length(d));
  const was = Number(handle.dataset.was ??= handle.dataset.from ?? d);
  const px = Number(((Number(handle.dataset.pixels) * was) / d).toPrecision(2));
  handle.querySelector(".handle-say").textContent = `${length(d)} · ${px} px`;
}

// settle decides where a handle stands.
function settle(handle) {
  const form = document.querySelector("#moveform");
  const d = handle.getAttribute("aria-valuenow");
  if (!form || Number(d) === Number(handle.dataset.from)) return;
  form.elements.lod.value = handle.dataset.lod;
  form.elements.from.value = `${d} m`;
  form.requestSubmit();
}

let held, timer;

document.addEventListener("pointerdown", (e) => {
  const handle = e.target.closest?.(".ladder .handle");
  if (!handle) return;
  held = handle;
  handle.focus();
  e.preventDefault();
});
document.addEventListener("pointermove", (e) => {
  if (!held) return;
  const svg = held.closest("svg");
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  move(held, axis(svg).at(p.x));
});
document.addEventListener("pointerup", () => {
  if (!held) return;
  const handle = held;
  held = undefined;
  settle(handle);
});

// Arrow keys move by a fiftieth, with Shift by a fifth; it is decided when they have rested, or at
// once with Enter.
document.addEventListener("keydown", (e) => {
  const handle = e.target.closest?.(".ladder .handle");
  if (!handle) return;
  const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[e.key];
  clearTimeout(timer);
  if (e.key === "Enter") {
    settle(handle);
  } else if (e.key === "Home" || e.key === "End") {
    move(handle, bounds(handle)[e.key === "Home" ? 0 : 1]);
    timer = setTimeout(() => handle.isConnected && settle(handle), 900);
  } else if (step) {
    move(handle, Number(handle.getAttribute("aria-valuenow")) * (e.shiftKey ? 1.2 : 1.02) ** step);
    timer = setTimeout(() => handle.isConnected && settle(handle), 900);
  } else return;
  e.preventDefault();
  e.stopPropagation();
});

// One lens at a time: that of the LOD pointed at or focused, on the drawing or in the table.
function magnify(n) {
  const svg = document.querySelector("#drawing .ladder");
  if (!svg?.querySelector(`.rung[data-lod="${n}"] .lens`)) return;
  for (const g of svg.querySelectorAll(".rung")) g.classList.toggle("lit", g.dataset.lod === n);
}
for (const kind of ["mouseover", "focusin"]) {
  document.addEventListener(kind, (e) => {
    const rung = e.target.closest?.(".rung[data-lod], .handle[data-lod], tr[data-rung]");
    if (rung) magnify(rung.dataset.lod ?? rung.dataset.rung);
  });
}

// Side by side: a dialog with two choices and the picture of both.
document.addEventListener("click", (e) => {
  const button = e.target.closest?.("[data-pair]");
  if (!button) return;
  const dialog = document.createElement("dialog");
  dialog.className = "pair-dialog";
  dialog.setAttribute("aria-label", "Two LODs side by side");
  const n = Number(button.dataset.lods);
  const choice = (name, label, at) => `<label>${label} <select name="${name}">${Array.from({ length: n }, (_, i) =>
    `<option value="${i}"${i === at ? " selected" : ""}>LOD ${i}</option>`).join("")}</select></label>`;
  dialog.innerHTML = `<form method="dialog"><p>${choice("a", "Left", 0)} ${choice("b", "Right", n - 1)}
    <button class="btn btn-ink" autofocus>Close</button></p></form><img alt="Two LODs with all their edges">`;
  const img = dialog.querySelector("img");
  const show = () => {
    const { a, b } = dialog.querySelector("form").elements;
    img.src = `${button.dataset.pair}?a=${a.value}&b=${b.value}`;
    img.alt = `LOD ${a.value} beside LOD ${b.value}, with all their edges`;
  };
  dialog.addEventListener("change", show);
  dialog.addEventListener("close", () => { dialog.remove(); button.focus(); });
  document.body.append(dialog);
  show();
  dialog.showModal();
});
