// Shapes of collision on the drawing: a press ticks one in the table, a drag or arrow keys move it.

const round = (m) => Number(m.toFixed(4));

// along is how far a shape goes along the drawing's axes by so many pixels of the paper, in a view.
function along(view, dx, dy) {
  const scale = Number(view.dataset.scale);
  const u = dx / scale, v = -dy / scale;
  switch (view.dataset.side) {
    case "0": return { right: u, up: v, front: 0 };
    case "1": return { right: 0, up: v, front: -u };
    default: return { right: u, up: 0, front: -v };
  }
}

const box = (id) => document.querySelector(`#shapes [name="shape"][value="${CSS.escape(id)}"]`);

// shown lights the shapes that are ticked.
function shown() {
  for (const g of document.querySelectorAll("#drawing .solid")) {
    g.classList.toggle("chosen", Boolean(box(g.dataset.shape)?.checked));
  }
}

// settle moves a shape, or all that are ticked when it is one of them.
function settle(g, dx, dy) {
  const form = document.querySelector("#editform");
  const view = g.closest(".solids");
  if (!form || Math.hypot(dx, dy) < 1e-6) return;
  const tick = box(g.dataset.shape);
  if (!tick) return;
  if (!tick.checked) {
    for (const other of document.querySelectorAll('#shapes [name="shape"]')) other.checked = other === tick;
  }
  for (const [name, metres] of Object.entries(along(view, dx, dy))) form.elements[name].value = `${round(metres)} m`;
  again = { side: view.dataset.side, id: g.dataset.shape };
  form.querySelector("#domove").click();
}

let held, again;
const moved = new WeakMap();
let timer;

function place(g, dx, dy) {
  moved.set(g, [dx, dy]);
  g.setAttribute("transform", `translate(${dx} ${dy})`);
  const m = along(g.closest(".solids"), dx, dy);
  const say = document.querySelector("#picksay");
  if (say) say.textContent = `right ${round(m.right)} m, up ${round(m.up)} m, front ${round(m.front)} m`;
}

document.addEventListener("pointerdown", (e) => {
  const g = e.target.closest?.("#drawing .solid");
  if (!g || e.button !== 0 || document.body.classList.contains("picking")) return;
  const svg = g.ownerSVGElement;
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  held = { g, x: p.x, y: p.y, far: false };
  g.focus();
  e.preventDefault();
});
document.addEventListener("pointermove", (e) => {
  if (!held) return;
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(held.g.ownerSVGElement.getScreenCTM().inverse());
  held.far ||= Math.hypot(p.x - held.x, p.y - held.y) > 3;
  if (held.far) place(held.g, p.x - held.x, p.y - held.y);
});
document.addEventListener("pointerup", () => {
  if (!held) return;
  const { g, far } = held;
  held = undefined;
  if (far) {
    settle(g, ...moved.get(g));
  } else {
    const tick = box(g.dataset.shape);
    if (tick) tick.checked = !tick.checked;
    shown();
  }
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
    const tick = box(g.dataset.shape);
    if (tick) tick.checked = !tick.checked;
    shown();
  } else return;
  e.preventDefault();
  e.stopPropagation();
});

document.addEventListener("change", (e) => e.target.matches?.('#shapes [name="shape"]') && shown());

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

// After a move the shape that was moved has the focus again: by hand it is the last of those by hand.
document.addEventListener("htmx:afterSettle", () => {
  if (!again) return;
  const view = document.querySelector(`#drawing .solids[data-side="${again.side}"]`);
  const all = [...(view?.querySelectorAll('.solid[data-shape^="e"]') ?? [])];
  all.sort((a, b) => Number(a.dataset.shape.slice(1)) - Number(b.dataset.shape.slice(1)));
  const g = all.find((x) => x.dataset.shape === again.id) ?? all.at(-1);
  again = undefined;
  g?.focus({ preventScroll: true });
});
