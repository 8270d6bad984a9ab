// The sheet: balloons and findings light each other, places on the drawing seat
// the pivot, and the view goes between drawing and turntable.

function light(n, on) {
  for (const el of document.querySelectorAll(`[data-balloon="${n}"]`)) el.classList.toggle("lit", on);
}

for (const [enter, leave] of [["mouseover", "mouseout"], ["focusin", "focusout"]]) {
  document.addEventListener(enter, (e) => { const b = e.target.closest?.("[data-balloon]"); if (b) light(b.dataset.balloon, true); });
  document.addEventListener(leave, (e) => { const b = e.target.closest?.("[data-balloon]"); if (b) light(b.dataset.balloon, false); });
}

document.addEventListener("click", (e) => {
  const ball = e.target.closest?.("svg .balloon");
  if (ball) document.querySelector(`.finding[data-balloon="${ball.dataset.balloon}"]`)?.focus();
  const seat = e.target.closest?.("a.seat");
  if (seat) {
    e.preventDefault();
    const form = document.querySelector("#seatform");
    form.elements.box.value = seat.dataset.box;
    form.requestSubmit();
  }
  const view = e.target.closest?.("[data-view]");
  if (view) show(view.dataset.view);
});

let table;

async function show(view) {
  const drawing = document.querySelector("#drawing");
  const box = document.querySelector("#turntable");
  if (!drawing || !box) return;
  sessionStorage.setItem("view", view);
  for (const b of document.querySelectorAll("[data-view]")) b.setAttribute("aria-pressed", String(b.dataset.view === view));
  drawing.hidden = view !== "drawing";
  box.hidden = view !== "turntable";
  table?.stop();
  table = undefined;
  if (view !== "turntable") return;
  const say = box.querySelector("p");
  say.textContent = "Fetching the mesh…";
  try {
    const { turntable } = await import("./turntable.js");
    const { asset, station } = document.querySelector("#page").dataset;
    table = await turntable(box.querySelector("canvas"), `/assets/${asset}/turntable?station=${station}`);
    say.textContent = "Drag to turn, scroll to come nearer. The grid is one metre.";
  } catch (err) {
    say.textContent = err.message;
  }
}

const restore = () => { if (sessionStorage.getItem("view") === "turntable" && document.querySelector("#turntable")) show("turntable"); };
document.addEventListener("yarvek:sheet", restore);
restore();
