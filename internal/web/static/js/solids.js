// Shapes of collision on the drawing: a press ticks one in the table, a drag or arrow keys move it. A drag snaps,
// unless Ctrl is held.
import { hide, show } from "./grips.js";
import { catches, held as heldBy, move, round, say, Snapper, three, tick, two, views } from "./shaping.js";

// along is how far a shape goes to the right, up and to the front by so many pixels of the paper, in a view.
const along = (view, dx, dy) => three(views[view.dataset.side], dx / view.dataset.scale, -dy / view.dataset.scale);

// pixels is the way back.
function pixels(view, by) {
  const [u, v] = two(views[view.dataset.side], by);
  return [u * view.dataset.scale, -v * view.dataset.scale];
}

// shown lights the shapes that are ticked.
function shown() {
  for (const g of document.querySelectorAll("#drawing .solid")) {
    g.classList.toggle("chosen", Boolean(tick(g.dataset.shape)?.checked));
  }
}

// settle moves a shape, or all that are ticked when it is one of them.
function settle(g, dx, dy) {
  const view = g.closest(".solids");
  again = { side: view.dataset.side, id: g.dataset.shape };
  if (!move(g.dataset.shape, along(view, dx, dy))) again = undefined;
}

let held, again;
const moved = new WeakMap();
let timer;

function place(g, dx, dy, onto = "") {
  moved.set(g, [dx, dy]);
  g.setAttribute("transform", `translate(${dx} ${dy})`);
  const [right, up, front] = along(g.closest(".solids"), dx, dy).map((v) => round(v));
  say(`right ${right} m, up ${up} m, front ${front} m${onto && `, ${onto}`}`);
}

document.addEventListener("pointerdown", (e) => {
  const g = e.target.closest?.("#drawing .solid");
  if (!g || e.button !== 0 || document.body.classList.contains("picking")) return;
  const svg = g.ownerSVGElement, view = g.closest(".solids");
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const snapper = new Snapper(g.dataset.shape, [0, 0, 0], along(view, 1, 1).map(Boolean));
  held = { g, x: p.x, y: p.y, far: false, snapper };
  g.focus();
  e.preventDefault();
});
document.addEventListener("pointermove", (e) => {
  if (!held) return;
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(held.g.ownerSVGElement.getScreenCTM().inverse());
  const h = held, dx = p.x - h.x, dy = p.y - h.y;
  h.far ||= Math.hypot(dx, dy) > 3;
  if (!h.far) return;
  hide();
  place(h.g, dx, dy);
  if (e.ctrlKey) { heldBy(); return; }
  const view = h.g.closest(".solids");
  h.snapper.at(along(view, dx, dy), catches / Number(view.dataset.scale), (got) => {
    if (held !== h) return;
    place(h.g, ...pixels(view, got.by), got.say);
    heldBy(got.lines);
  });
});
document.addEventListener("pointerup", async () => {
  if (!held) return;
  const h = held;
  if (h.far) {
    await h.snapper.done;
    settle(h.g, ...moved.get(h.g));
  } else {
    const own = tick(h.g.dataset.shape);
    if (own) { own.checked = !own.checked; kept = []; }
    shown();
    show();
  }
  heldBy();
  if (held === h) held = undefined;
});

// Arrow keys move by a centimetre, with Shift by ten; it is decided when they have rested, or at once
// with Enter. Space ticks.
document.addEventListener("keydown", (e) => {
  const g = e.target.closest?.("#drawing .solid");
  if (!g) return;
  const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
  const [x, y] = moved.get(g) ?? [0, 0];
  clearTimeout(timer);
  if (step) {
    const d = Number(g.closest(".solids").dataset.scale) * (e.shiftKey ? 0.1 : 0.01);
    place(g, x + step[0] * d, y + step[1] * d);
    timer = setTimeout(() => g.isConnected && settle(g, ...moved.get(g)), 900);
  } else if (e.key === "Enter") {
    settle(g, x, y);
  } else if (e.key === " ") {
    const own = tick(g.dataset.shape);
    if (own) { own.checked = !own.checked; kept = []; }
    shown();
    show();
  } else return;
  e.preventDefault();
  e.stopPropagation();
});

document.addEventListener("change", (e) => {
  if (!e.target.matches?.('#shapes [name="shape"]')) return;
  kept = [];
  shown();
});

// A shape in the table and on the drawing light one another.
for (const kind of ["mouseover", "focusin"]) {
  document.addEventListener(kind, (e) => {
    const id = e.target.closest?.("#shapes tr[data-row]")?.dataset.row ??
      e.target.closest?.("#drawing .solid")?.dataset.shape;
    for (const g of document.querySelectorAll("#drawing .solid")) g.classList.toggle("lit", g.dataset.shape === id);
    for (const row of document.querySelectorAll("#shapes tr[data-row]")) row.classList.toggle("lit",
      row.dataset.row === id);
  });
}

// What is ticked stays so over a change that leaves as many shapes; what was changed and is a shape by hand now is the
// last of those. After a move it has the focus again.
let kept = [], many;
document.addEventListener("htmx:beforeRequest", () => {
  many = document.querySelectorAll("#shapes tbody tr").length;
  const now = [...document.querySelectorAll('#shapes [name="shape"]:checked')].map((e) => e.value);
  if (now.length) kept = now;
});
document.addEventListener("htmx:afterSettle", () => {
  const solids = [...document.querySelectorAll('#drawing .solids[data-side="0"] .solid')];
  if (!solids.length || !(again || kept.length)) return;
  if (document.querySelectorAll("#shapes tbody tr").length !== many) kept = [];
  const ids = solids.map((g) => g.dataset.shape);
  const hand = ids.filter((id) => id.startsWith("e"));
  hand.sort((a, b) => Number(a.slice(1)) - Number(b.slice(1)));
  const now = (id) => (ids.includes(id) ? id : hand.at(-1));
  kept = [...new Set((kept.length || !again ? kept : [again.id]).map(now).filter(Boolean))];
  for (const id of kept) { const own = tick(id); if (own) own.checked = true; }
  if (again) {
    document.querySelector(`#drawing .solids[data-side="${again.side}"] .solid[data-shape="${
      CSS.escape(now(again.id) ?? "")}"]`)?.focus({ preventScroll: true });
  }
  again = undefined;
  document.dispatchEvent(new CustomEvent("yarvek:shapes"));
  shown();
});
