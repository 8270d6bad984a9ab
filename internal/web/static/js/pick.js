// Picking places of the mesh: on the drawing by pointer or by keyboard, and on the
// turntable. The server finds what is there and what it snaps to.

import { Path } from "./lasso.js";

let mode; // { kind, form, got: [] }
let cursor; // the keyboard's place on the paper
let last; // what the pointer is over
let busy = false, waiting;
let ground; // where the drawing has mesh: a picture of each view

const words = {
  measure: ["Point at the first end", "Point at the second end"],
  corner: ["Point at a corner, or anywhere on the mesh"],
  edge: ["Point at the hinge edge"], along: ["Point at the edge to follow"], part: ["Point at the part’s hinge edge"],
  marker: ["Point at the surface"], body: ["Point at the part"], feature: ["Point at what the points lie on"],
  faces: ["Point at a face"],
  lasso: ["Draw round it on a view, or press Enter at its corners and twice at the last"],
  area: ["Drag a box on a view, or press Enter at two of its corners"],
};
const svg = () => document.querySelector("#drawing svg");
const say = (text) => { const p = document.querySelector("#picksay"); if (p) p.textContent = text; };
const vec = (p) => p.join(",");

function stop(text = "") {
  mode = undefined;
  last = undefined;
  cursor = undefined;
  document.body.classList.remove("picking");
  svg()?.querySelectorAll(".snap, .crosshair, .area-box").forEach((e) => e.remove());
  say(text);
}

function start(button) {
  stop();
  const lasso = button.dataset.pick === "round" ||
    button.dataset.pick === "area" && button.form.elements.shape?.value === "lasso";
  mode = { kind: lasso ? "lasso" : button.dataset.pick, form: button.form, go: button.dataset.go, got: [] };
  if (lasso) mode.path = new Path(svg());
  document.body.classList.add("picking");
  ground = undefined;
  delete document.body.dataset.grounds; // how many views are opened, for who waits for them
  grounds().then((g) => { ground = g; document.body.dataset.grounds = g.length; }, () => {});
  const box = document.querySelector("#drawing");
  if (!box.hidden) {
    svg().setAttribute("tabindex", "0");
    svg().focus({ preventScroll: true });
  } else document.querySelector("#turntable canvas").focus({ preventScroll: true });
  hint();
}

function hint(extra = "") {
  const list = words[mode.kind];
  const now = list[Math.min(mode.got.length, list.length - 1)];
  say(`${now}. ${extra || "Arrow keys move the cross, Enter picks, Esc stops."}`);
}

// drawn tells whether something is drawn on the paper, rather than picked of the mesh.
const drawn = () => mode.kind === "area" || mode.kind === "lasso";

// paper turns a pointer's place into the drawing's own coordinates.
function paper(e) {
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg().getScreenCTM().inverse());
  return [p.x, p.y];
}

async function ask(query) {
  const page = document.querySelector("#page").dataset;
  const q = new URLSearchParams(location.search);
  for (const [k, v] of Object.entries({ station: page.station, ...query })) q.set(k, v);
  const res = await fetch(`/assets/${page.asset}/pick?${q}`);
  const got = await res.json();
  if (!res.ok || got.nothing) throw new Error(got.say);
  return got;
}

// The views of the drawing are pictures that are clear where no mesh is.
function grounds() {
  return Promise.all([...svg().querySelectorAll("image:not(.swatch)")].map(async (image) => {
    const at = image.getCTM(), page = svg().getCTM();
    const to = page.inverse().multiply(at);
    const p = new DOMPoint(image.x.baseVal.value, image.y.baseVal.value).matrixTransform(to);
    const w = image.width.baseVal.value, h = image.height.baseVal.value;
    const bitmap = new Image();
    bitmap.src = image.getAttribute("href");
    await bitmap.decode();
    const canvas = new OffscreenCanvas(Math.max(1, Math.ceil(w)), Math.max(1, Math.ceil(h)));
    const c = canvas.getContext("2d");
    c.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
    return { x: p.x, y: p.y, w: canvas.width, h: canvas.height, data: c.getImageData(0, 0, canvas.width,
      canvas.height).data };
  }));
}

// Whether there is mesh at a place of the paper, or so near that it catches.
const reach = 10;
function meets(x, y) {
  if (!ground) return true;
  return ground.some((g) => {
    const left = Math.floor(x - g.x), top = Math.floor(y - g.y);
    for (let v = Math.max(0, top - reach); v <= Math.min(g.h - 1, top + reach); v++)
      for (let u = Math.max(0, left - reach); u <= Math.min(g.w - 1, left + reach); u++)
        if (g.data[4 * (v * g.w + u) + 3]) return true;
    return false;
  });
}

function mark(got) {
  svg()?.querySelectorAll(".snap").forEach((e) => e.remove());
  if (!got) return;
  svg().insertAdjacentHTML("beforeend", got.paper.map(([x, y]) =>
    `<circle class="snap ${got.kind}" cx="${x}" cy="${y}" r="7"/>`).join(""));
}

// hover shows what a click would take; one question at a time.
async function hover(x, y) {
  if (!meets(x, y)) {
    waiting = undefined;
    if (last) { last = undefined; mark(); hint(); }
    return;
  }
  if (busy) { waiting = [x, y]; return; }
  busy = true;
  try {
    last = await ask({ x, y });
    if (mode) { mark(last); hint(`Here: ${last.say}.`); }
  } catch {
    last = undefined;
    if (mode) { mark(); hint(); }
  }
  busy = false;
  if (waiting && mode) { const w = waiting; waiting = undefined; hover(...w); }
}

async function take(query) {
  if (query.x !== undefined && !meets(query.x, query.y)) { hint("Nothing of the mesh is there; point at it."); return; }
  let got;
  try { got = await ask(query); } catch (err) { hint(err.message); return; }
  if (!mode) return;
  use(got);
}

function use(got) {
  const f = mode.form;
  const fields = f?.elements;
  switch (mode.kind) {
    case "measure": {
      mode.got.push(got.source);
      if (mode.got.length < 2) { hint(`From ${got.say}.`); return; }
      const [a, b] = mode.got;
      stop();
      const q = new URLSearchParams(location.search);
      q.set("from", vec(a));
      q.set("to", vec(b));
      const url = `${location.pathname}?${q}`;
      history.replaceState(history.state, "", url);
      window.htmx.ajax("GET", url, { target: "#page", select: "#page", swap: "outerHTML show:none" });
      return;
    }
    case "corner":
      fields.pick[0].value = vec(got.source);
      fields.pick[1].value = "";
      break;
    case "edge": case "along": case "part":
      if (!got.edge) { hint("That is no edge."); return; }
      fields.pick[0].value = vec(got.edge[0]);
      fields.pick[1].value = vec(got.edge[1]);
      if (mode.kind === "part") {
        const place = fields.place;
        place.insertAdjacentHTML("beforeend", '<option value="picks" selected>hinge edge</option>');
      }
      break;
    case "body": case "faces": case "feature":
      fields.at.value = vec(got.source);
      break;
    case "marker":
      fields.at.value = vec(got.source);
      fields.heading.value = got.face;
      break;
  }
  stop();
  f.requestSubmit();
}

// A box on a view goes into the fields of its form.
async function boxed(a, b) {
  const page = document.querySelector("#page").dataset;
  const { form, go } = mode;
  const at = new URLSearchParams({ x0: a[0], y0: a[1], x1: b[0], y1: b[1] });
  const res = await fetch(`/assets/${page.asset}/area?${at}`);
  const box = await res.json();
  if (!res.ok || (!form.elements.view && box.view !== "plan")) {
    stop("The box of a rule lies on the plan. Nothing was taken."); return; }
  const button = form.querySelector(go);
  stop(`The box is in the fields. Press “${button.textContent.trim()}”.`);
  if (form.elements.view) form.elements.view.value = box.view;
  filled(form, box);
  button.focus();
}

function filled(form, box) {
  ["across0", "up0", "across1", "up1"].forEach((n, i) => { form.elements[n].value = box.area[i].toFixed(4); });
  if (form.elements.deep) form.elements.deep.value = box.deep?.toFixed(4) ?? "";
  const places = (box.round || []).map((p) => p.map((v) => v.toFixed(5)).join(","));
  if (form.elements.round) form.elements.round.value = places.join(";");
}

// What is drawn round goes into the fields of its form.
async function rounded() {
  const { form, go, path } = mode;
  if (!go) { // the server is told what was drawn as it lies on the paper
    form.elements.round.value = path.thinned;
    stop();
    form.requestSubmit();
    return;
  }
  try {
    const crop = await path.crop(document.querySelector("#page").dataset.asset);
    const button = form.querySelector(go);
    stop(`It is in the fields. Press “${button.textContent.trim()}”.`);
    form.elements.view.value = crop.view;
    filled(form, crop);
    button.focus();
  } catch (e) { stop(e.message); }
}

function drawBox(a, b) {
  svg().querySelectorAll(".area-box").forEach((e) => e.remove());
  const at = `x="${Math.min(a[0], b[0])}" y="${Math.min(a[1], b[1])}"`;
  const size = `width="${Math.abs(a[0] - b[0])}" height="${Math.abs(a[1] - b[1])}"`;
  svg().insertAdjacentHTML("beforeend", `<rect class="area-box" ${at} ${size}/>`);
}

let drag;
document.addEventListener("pointerdown", (e) => {
  if (!mode || !e.target.closest?.("#drawing svg")) return;
  if (mode.kind === "area") { drag = paper(e); e.preventDefault(); }
  if (mode.kind === "lasso") { mode.path.dragged = true; mode.path.add(paper(e)); e.preventDefault(); }
});
document.addEventListener("pointermove", (e) => {
  if (!mode || !e.target.closest?.("#drawing svg")) return;
  if (mode.kind === "area") { if (drag) drawBox(drag, paper(e)); return; }
  if (mode.kind === "lasso") { if (mode.path.dragged && mode.path.add(paper(e))) mode.path.draw(); return; }
  hover(...paper(e));
});
document.addEventListener("pointerup", (e) => {
  if (mode?.kind === "lasso" && mode.path.dragged) {
    mode.path.dragged = false;
    if (mode.path.closed) rounded();
    return;
  }
  if (mode?.kind !== "area" || !drag) return;
  const a = drag, b = paper(e);
  drag = undefined;
  if (Math.hypot(a[0] - b[0], a[1] - b[1]) > 4) boxed(a, b);
});

document.addEventListener("click", (e) => {
  const button = e.target.closest?.("[data-pick]");
  if (button) { start(button); return; }
  if (!mode || drawn() || !e.target.closest?.("#drawing svg")) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  const [x, y] = paper(e);
  take({ x, y });
}, true);

function cross() {
  svg().querySelectorAll(".crosshair").forEach((e) => e.remove());
  const [x, y] = cursor;
  svg().insertAdjacentHTML("beforeend", `<path class="crosshair" d="M${x - 14} ${y}h28M${x} ${y - 14}v28"/>`);
}

document.addEventListener("keydown", (e) => {
  if (!mode) return;
  if (e.key === "Escape") { e.preventDefault(); stop("Nothing was picked."); return; }
  if (!e.target.closest?.("#drawing svg")) return;
  const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
  if (step) {
    e.preventDefault();
    e.stopImmediatePropagation();
    cursor ||= (svg().dataset.middle || "427,340").split(",").map(Number);
    const by = e.shiftKey ? 24 : 3;
    cursor = [Math.min(880, Math.max(24, cursor[0] + by * step[0])),
      Math.min(616, Math.max(24, cursor[1] + by * step[1]))];
    cross();
    if (mode.kind === "lasso") mode.path.draw(cursor);
    else if (mode.kind === "area") { if (mode.got.length) drawBox(mode.got[0], cursor); } else hover(...cursor);
  } else if (e.key === "Enter" && cursor) {
    e.preventDefault();
    if (mode.kind === "lasso") {
      if (!mode.path.add(cursor) && mode.path.closed) rounded();
      return;
    }
    if (mode.kind !== "area") { take({ x: cursor[0], y: cursor[1] }); return; }
    mode.got.push([...cursor]);
    if (mode.got.length === 2) boxed(...mode.got);
  }
}, true);

// The turntable sends a ray in the frame of the paper.
document.addEventListener("yarvek:ray", (e) => {
  if (!mode || drawn()) return;
  const { from, along, spread } = e.detail;
  take({ ox: from[0], oy: from[1], oz: from[2], dx: along[0], dy: along[1], dz: along[2], spread });
});

document.addEventListener("yarvek:sheet", () => stop());
