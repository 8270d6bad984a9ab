// Grips of the shape that is chosen, on each view: its sides and corners are dragged to size it, the arc at its corner
// turns it; by pointer, or by arrow keys on a grip.
import { catches, held, rested, say, size, Snapper, three, turn, two, views } from "./shaping.js";

const names = { "1,0": "right side", "-1,0": "left side", "0,1": "upper side", "0,-1": "lower side",
  "1,1": "upper right corner",
  "-1,1": "upper left corner", "1,-1": "lower right corner", "-1,-1": "lower left corner" };

// mark draws one: a bracket at a corner, a bar with its two arrows at a side.
function mark(gu, gv, box) {
  const x = box.x + (box.width * (1 + gu)) / 2, y = box.y + (box.height * (1 - gv)) / 2;
  if (gu && gv) return `M${x - 9 * gu} ${y}H${x}V${y + 9 * gv}`;
  return gu ? `M${x} ${y - 7}V${y + 7}M${x + 3} ${y - 3}l4 3l-4 3M${x - 3} ${y - 3}l-4 3l4 3` :
    `M${x - 7} ${y}H${x + 7}M${x - 3} ${y - 3}l3 -4l3 4M${x - 3} ${y + 3}l3 4l3 -4`;
}

export const hide = () => document.querySelectorAll("#drawing .grips").forEach((e) => e.remove());

// show draws the grips of the one shape that is ticked.
export function show() {
  const svg = document.querySelector("#drawing svg");
  hide();
  const chosen = [...document.querySelectorAll('#shapes [name="shape"]:checked')];
  if (chosen.length !== 1 || document.body.classList.contains("picking")) return;
  const id = chosen[0].value;
  for (const g of svg?.querySelectorAll(`.solid[data-shape="${CSS.escape(id)}"]`) ?? []) {
    const side = Number(g.closest(".solids").dataset.side), box = g.getBBox();
    let inner = "";
    for (const [key, name] of Object.entries(names)) {
      const [gu, gv] = key.split(",").map(Number);
      const d = mark(gu, gv, box);
      inner += `<g class="grip" data-grip="${key}" tabindex="-1" role="button" aria-label="Size it by its ${name}">` +
        `<path class="grip-area" d="${d}"/><path d="${d}"/></g>`;
    }
    const x = box.x + box.width, y = box.y, d = `M${x + 8} ${y - 20}A20 20 0 0 1 ${x + 20} ${y - 8}m-6 -3l6 3l4 -5`;
    inner += `<g class="grip turning" data-grip="turn" tabindex="-1" role="button" aria-label="Turn it on this view">` +
      `<path class="grip-area" d="${d}"/><path d="${d}"/></g>`;
    g.closest(".solids").insertAdjacentHTML("beforeend",
      `<g class="grips" data-shape="${id}" data-side="${side}">${inner}</g>`);
  }
  const first = svg?.querySelectorAll(".grips .grip") ?? [];
  first.forEach((e) => e.setAttribute("tabindex", "0"));
}

let drag, timer, again;

// begin is a drag of a grip.
function begin(grip) {
  const all = grip.closest(".grips"), solids = grip.closest(".solids");
  const g = solids.querySelector(`.solid[data-shape="${CSS.escape(all.dataset.shape)}"]`);
  g.removeAttribute("transform");
  const view = views[Number(all.dataset.side)], box = g.getBBox();
  const d = { g, all, view, box, id: all.dataset.shape, scale: Number(solids.dataset.scale), key: grip.dataset.grip,
    side: all.dataset.side, mid: [box.x + box.width / 2, box.y + box.height / 2] };
  if (d.key !== "turn") {
    d.grip = d.key.split(",").map(Number);
    d.snapper = new Snapper(d.id, three(view, ...d.grip), three(view, ...d.grip).map(Boolean));
  }
  return d;
}

// stretch shows it sized by so much along the view, in metres.
function stretch(d, by) {
  const [u, v] = two(d.view, by);
  const wide = d.box.width / d.scale, high = d.box.height / d.scale;
  d.times = [d.grip[0] && wide ? Math.max(0.02, 1 + (d.grip[0] * u) / wide) : 1,
    d.grip[1] && high ? Math.max(0.02, 1 + (d.grip[1] * v) / high) : 1];
  const x = d.mid[0] - (d.grip[0] * d.box.width) / 2, y = d.mid[1] + (d.grip[1] * d.box.height) / 2;
  d.g.setAttribute("transform", `translate(${x} ${y}) scale(${d.times.join(" ")}) translate(${-x} ${-y})`);
  return `${(d.times[0] * wide).toFixed(3)} m by ${(d.times[1] * high).toFixed(3)} m on this view`;
}

function swing(d, degrees) {
  d.degrees = degrees;
  d.g.setAttribute("transform", `rotate(${-degrees} ${d.mid.join(" ")})`);
  say(`Turned by ${degrees}°.`);
}

function pull(d, dx, dy, free) {
  const by = three(d.view, d.grip[0] ? dx / d.scale : 0, d.grip[1] ? -dy / d.scale : 0);
  say(`${stretch(d, by)}.`);
  if (free) return held();
  d.snapper.at(by, catches / d.scale, (got) => {
    if (drag !== d) return;
    say(`${stretch(d, got.by)}${got.say && `, ${got.say}`}.`);
    held(got.lines);
  });
}

// decide takes what is shown.
async function decide(d) {
  await d.snapper?.done;
  held();
  again = { side: d.side, key: d.key };
  if (d.key === "turn") {
    if (!turn(d.id, d.view.n, d.degrees ?? 0)) again = undefined;
    return;
  }
  const times = [1, 1, 1];
  if (d.times) { times[d.view.u[0]] = d.times[0]; times[d.view.v[0]] = d.times[1]; }
  if (!size(d.id, times, three(d.view, ...d.grip).map((x) => -x || 0))) again = undefined;
}

const place = (e, svg) => new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());

document.addEventListener("pointerdown", (e) => {
  const grip = e.target.closest?.("#drawing .grip");
  if (!grip || e.button !== 0 || document.body.classList.contains("picking")) return;
  drag = begin(grip);
  const p = place(e, grip.ownerSVGElement);
  drag.from = [p.x, p.y];
  drag.svg = grip.ownerSVGElement;
  e.preventDefault();
  e.stopImmediatePropagation();
}, true);
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const p = place(e, drag.svg);
  if (drag.key !== "turn") return pull(drag, p.x - drag.from[0], p.y - drag.from[1], e.ctrlKey);
  const at = (x, y) => Math.atan2(drag.mid[1] - y, x - drag.mid[0]);
  const turned = ((at(p.x, p.y) - at(...drag.from)) * 180) / Math.PI;
  const short = turned - 360 * Math.round(turned / 360);
  return swing(drag, e.ctrlKey ? Number(short.toFixed(1)) : rested(short));
});
document.addEventListener("pointerup", () => {
  if (!drag) return;
  const d = drag;
  decide(d).finally(() => { if (drag === d) drag = undefined; });
});

// Arrow keys on a grip size by a centimetre, or turn by five degrees; with Shift ten times, or three times that.
document.addEventListener("keydown", (e) => {
  const grip = e.target.closest?.("#drawing .grip");
  if (!grip) return;
  const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
  if (!step && e.key !== "Enter") return;
  e.preventDefault();
  e.stopPropagation();
  clearTimeout(timer);
  const d = grip.held ??= begin(grip);
  if (e.key === "Enter") { grip.held = undefined; decide(d); return; }
  if (d.key === "turn") {
    swing(d, (d.degrees ?? 0) + (step[1] - step[0]) * (e.shiftKey ? 15 : 5));
  } else {
    const k = e.shiftKey ? 0.1 : 0.01;
    d.at = [(d.at?.[0] ?? 0) + k * step[0], (d.at?.[1] ?? 0) + k * step[1]];
    say(`${stretch(d, three(d.view, d.grip[0] ? d.at[0] : 0, d.grip[1] ? d.at[1] : 0))}.`);
  }
  timer = setTimeout(() => { if (grip.isConnected) { grip.held = undefined; decide(d); } }, 900);
});

document.addEventListener("change", (e) => e.target.matches?.('#shapes [name="shape"]') && show());

// After a change its grip has the focus again.
document.addEventListener("yarvek:shapes", () => {
  show();
  if (!again) return;
  const { side, key } = again;
  again = undefined;
  const grip = document.querySelector(`#drawing .grips[data-side="${side}"] .grip[data-grip="${key}"]`);
  grip?.focus({ preventScroll: true });
});
