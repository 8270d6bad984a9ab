// Fingers. Two on the drawing bring it nearer, one moves it then, and a double tap puts it back; the turntable's own
// controls do the like. A long press shows what pointing at a thing would, and presses nothing.

const LONG = 550, STILL = 10, NEAREST = 12;
const fingers = new Map();
let from, held, shown, tapped = 0;

const drawing = (e) => e.target.closest?.("#drawing svg.drawing, #drawing > svg");
const picking = () => document.body.classList.contains("picking") || document.querySelector("[data-picking]");

// boxOf is what of a drawing is seen, and all of it.
function boxOf(svg) {
  const v = svg.viewBox.baseVal;
  svg.dataset.whole ??= [v.x, v.y, v.width, v.height].join(" ");
  return { now: [v.x, v.y, v.width, v.height], whole: svg.dataset.whole.split(" ").map(Number) };
}

function see(svg, [x, y, w, h]) {
  const { whole } = boxOf(svg);
  const k = Math.max(1 / NEAREST, Math.min(1, w / whole[2]));
  [w, h] = [whole[2] * k, whole[3] * k];
  x = Math.max(whole[0], Math.min(x, whole[0] + whole[2] - w));
  y = Math.max(whole[1], Math.min(y, whole[1] + whole[3] - h));
  svg.setAttribute("viewBox", [x, y, w, h].join(" "));
  svg.classList.toggle("nearer", k < 1);
}

// begin notes what is seen where the fingers are now.
function begin(svg) {
  const at = [...fingers.values()];
  const m = svg.getScreenCTM();
  if (!m) return;
  const mid = [0, 1].map((i) => at.reduce((s, p) => s + p[i], 0) / at.length);
  from = { svg, mid, apart: at.length > 1 ? Math.hypot(at[0][0] - at[1][0], at[0][1] - at[1][1]) : 0,
    view: boxOf(svg).now, scale: m.a, place: [(mid[0] - m.e) / m.a, (mid[1] - m.f) / m.d] };
}

document.addEventListener("pointerdown", (e) => {
  if (e.pointerType !== "touch") return;
  clearTimeout(held);
  if (shown) { unshow(); }
  fingers.set(e.pointerId, [e.clientX, e.clientY]);
  const svg = drawing(e);
  if (fingers.size === 1) {
    const target = e.target, start = [e.clientX, e.clientY];
    held = setTimeout(() => long(target, start), LONG);
  }
  from = undefined;
  if (!svg) return;
  if (fingers.size === 2 || (fingers.size === 1 && svg.classList.contains("nearer") && !picking())) begin(svg);
});

document.addEventListener("pointermove", (e) => {
  const was = fingers.get(e.pointerId);
  if (!was) return;
  if (Math.hypot(e.clientX - was[0], e.clientY - was[1]) > STILL) clearTimeout(held);
  else if (fingers.size === 1 && !from) return;
  fingers.set(e.pointerId, [e.clientX, e.clientY]);
  if (!from?.svg.isConnected) return;
  const at = [...fingers.values()];
  const mid = [0, 1].map((i) => at.reduce((s, p) => s + p[i], 0) / at.length);
  const near = from.apart && at.length > 1
    ? Math.max(from.apart, 1) / Math.max(1, Math.hypot(at[0][0] - at[1][0], at[0][1] - at[1][1])) : 1;
  const w = from.view[2] * near, h = from.view[3] * near;
  // What was under the middle of the fingers stays there.
  const part = [0, 1].map((i) => (from.place[i] - from.view[i]) / from.view[i + 2]);
  const moved = [0, 1].map((i) => ((mid[i] - from.mid[i]) / from.scale) * near);
  see(from.svg, [from.place[0] - part[0] * w - moved[0], from.place[1] - part[1] * h - moved[1], w, h]);
}, { passive: true });

for (const kind of ["pointerup", "pointercancel"]) {
  document.addEventListener(kind, (e) => {
    if (!fingers.delete(e.pointerId)) return;
    clearTimeout(held);
    const moved = from;
    from = undefined;
    if (fingers.size === 1 && moved?.svg.classList.contains("nearer")) return begin(moved.svg);
    const svg = drawing(e);
    if (kind === "pointercancel" || !svg || fingers.size) return;
    if (performance.now() - tapped < 320 && svg.dataset.whole) see(svg, svg.dataset.whole.split(" ").map(Number));
    tapped = performance.now();
  });
}

// long shows what pointing at a thing does.
function long(target, [x, y]) {
  shown = target;
  for (const kind of ["pointerover", "mouseover"]) {
    target.dispatchEvent(new MouseEvent(kind, { bubbles: true, clientX: x, clientY: y }));
  }
}

function unshow() {
  shown?.dispatchEvent(new MouseEvent("mouseout", { bubbles: true }));
  shown = undefined;
}

// What ends a long press is no press.
document.addEventListener("click", (e) => {
  if (!shown?.isConnected || !(shown === e.target || shown.contains(e.target) || e.target.contains(shown))) return;
  e.preventDefault();
  e.stopImmediatePropagation();
}, true);
document.addEventListener("contextmenu", (e) => { if (fingers.size || shown) e.preventDefault(); });
