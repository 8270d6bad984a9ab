// The sheet: balloons and findings light each other, places on the drawing seat
// the pivot, and the view goes between drawing and turntable.

function light(n, on) {
  for (const el of document.querySelectorAll(`[data-balloon="${n}"]`)) el.classList.toggle("lit", on);
}

for (const [enter, leave] of [["mouseover", "mouseout"], ["focusin", "focusout"]]) {
  document.addEventListener(enter, (e) => { const b = e.target.closest?.("[data-balloon]");
    if (b) light(b.dataset.balloon, true); });
  document.addEventListener(leave, (e) => { const b = e.target.closest?.("[data-balloon]");
    if (b) light(b.dataset.balloon, false); });
}

// reach gives something the focus, and opens what it lies in.
function reach(el) {
  for (let d = el?.closest("details"); d; d = d.parentElement.closest("details")) d.open = true;
  el?.focus();
}

document.addEventListener("click", (e) => {
  const ball = e.target.closest?.("svg .balloon");
  if (ball) reach(document.querySelector(`.finding[data-balloon="${ball.dataset.balloon}"]`));
  const seat = e.target.closest?.("a.seat");
  if (seat) {
    e.preventDefault();
    const form = document.querySelector("#seatform");
    form.elements.box.value = seat.dataset.box;
    form.requestSubmit();
  }
  const view = e.target.closest?.("[data-view]");
  if (view) show(view.dataset.view);
  const look = e.target.closest?.("button[data-look]");
  if (look) paint(look.dataset.look);
  if (e.target.closest?.("#play") && sessionStorage.getItem("view") !== "turntable") {
    show("turntable").then(() => document.querySelector("#play")?.click());
  }
  if (e.target.closest?.("#beside")) stand(sessionStorage.getItem("beside") === "no");
});

let table;

async function show(view) {
  const drawing = document.querySelector("#drawing");
  const box = document.querySelector("#turntable");
  if (!drawing || !box) return;
  sessionStorage.setItem("view", view);
  for (const b of document.querySelectorAll("[data-view]")) b.setAttribute("aria-pressed",
    String(b.dataset.view === view));
  drawing.hidden = view !== "drawing";
  box.hidden = view !== "turntable";
  table?.stop();
  table = undefined;
  if (view !== "turntable") return;
  const say = box.querySelector("p");
  say.textContent = "Fetching the mesh…";
  try {
    const { turntable } = await import("./turntable.js");
    const { asset, station, changes } = document.querySelector("#page").dataset;
    const figure = new URLSearchParams(location.search).get("figure") ?? "";
    table = await turntable(box.querySelector("canvas"), box.querySelector(".table-names"), {
      asset: `/assets/${asset}`, station, figure, changes,
    });
    say.textContent = "Drag to turn, scroll to come nearer. The grid is one metre." +
      (table.thinned ? " Short creases of a dense mesh are not drawn." : "");
    stand(sessionStorage.getItem("beside") !== "no");
    await paint(sessionStorage.getItem("look") ?? "paper");
  } catch (err) {
    say.textContent = err.message;
  }
}

// paint shows the asset on the turntable as paper or with its materials.
async function paint(look) {
  try {
    await table?.look(look);
    sessionStorage.setItem("look", look);
    for (const b of document.querySelectorAll("button[data-look]")) b.setAttribute("aria-pressed",
      String(b.dataset.look === look));
  } catch (err) {
    document.querySelector(".turntable-say").textContent = err.message;
  }
}

// stand shows or hides what stands beside it.
function stand(on) {
  sessionStorage.setItem("beside", on ? "yes" : "no");
  table?.things(on);
  document.querySelector("#beside")?.setAttribute("aria-pressed", String(on));
}

const restore = () => { if (sessionStorage.getItem("view") === "turntable" &&
  document.querySelector("#turntable")) show("turntable"); };
document.addEventListener("yarvek:sheet", restore);
restore();
