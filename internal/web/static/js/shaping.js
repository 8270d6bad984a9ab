// What is done to a shape of collision by hand goes into the form of the worksheet, whose button decides it.

export const round = (v, n = 4) => Number(v.toFixed(n));
const form = () => document.querySelector("#editform");
const axes = ["right", "up", "front"];
export const catches = 7; // pixels of the paper within which what is dragged snaps

// views are the drawing's axes to the right and up in each view, with their signs, and the axis that one looks along.
export const views = [{ u: [0, 1], v: [1, 1], n: 2 }, { u: [2, -1], v: [1, 1], n: 0 }, { u: [0, 1], v: [2, -1], n: 1 }];

// three is what lies along the drawing's axes of two numbers of a view, two is the way back.
export function three(view, a, b) {
  const out = [0, 0, 0];
  out[view.u[0]] = a * view.u[1];
  out[view.v[0]] = b * view.v[1];
  return out;
}
export const two = (view, by) => [by[view.u[0]] * view.u[1], by[view.v[0]] * view.v[1]];

// tick is the shape's in the table.
export const tick = (id) => document.querySelector(`#shapes [name="shape"][value="${CSS.escape(id)}"]`);

// alone ticks a shape and no other, unless it is ticked already.
function alone(id) {
  const own = tick(id);
  if (!own || !form()) return false;
  if (!own.checked) for (const o of document.querySelectorAll('#shapes [name="shape"]')) o.checked = o === own;
  return true;
}

// move takes it along the axes of the drawing, with all others that are ticked; metres.
export function move(id, by) {
  if (!alone(id) || Math.hypot(...by) < 1e-6) return false;
  axes.forEach((name, i) => { form().elements[name].value = `${round(by[i])} m`; });
  form().querySelector("#domove").click();
  return true;
}

// size makes it so many times as large along each axis; hold says which side stays along each, 1, -1 or 0.
export function size(id, times, hold) {
  if (!alone(id) || times.every((k) => Math.abs(k - 1) < 1e-6)) return false;
  ["wide", "high", "deep"].forEach((name, i) => { form().elements[name].value = round(100 * times[i], 5); });
  form().elements.hold.value = hold.join(",");
  form().querySelector("#dosize").click();
  return true;
}

// turn turns it about an axis, anticlockwise as seen along it; degrees.
export function turn(id, about, degrees) {
  if (!alone(id) || Math.abs(degrees) < 1e-3) return false;
  form().elements.about.value = String(about);
  form().elements.angle.value = round(degrees, 3);
  form().querySelector("#doturn").click();
  return true;
}

// rested is an angle that rests at whole degrees, and at those that are often meant when it is near one.
export function rested(degrees) {
  const often = Math.round(degrees / 15) * 15;
  return Math.abs(degrees - often) < 3 ? often : Math.round(degrees);
}

export const say = (text) => { const p = document.querySelector("#picksay"); if (p) p.textContent = text; };

// Snapper asks the server where a drag comes to, one question at a time, and shows what holds it there.
export class Snapper {
  #busy = false;
  #next;

  constructor(id, grip, free) {
    this.query = { shape: id, gripright: grip[0], gripup: grip[1], gripfront: grip[2] };
    this.free = axes.filter((_, i) => free[i]);
  }

  // at tells then where it comes to from so far; reach is in metres, 0 for none. What was asked last is told last.
  at(by, reach, then) {
    this.#next = { by, reach, then };
    this.done = this.#busy ? this.done : this.#ask();
    return this.done;
  }

  async #ask() {
    this.#busy = true;
    while (this.#next) {
      const { by, reach, then } = this.#next;
      this.#next = undefined;
      const q = new URLSearchParams({ ...this.query, right: by[0], up: by[1], front: by[2], reach });
      for (const name of this.free) q.append("free", name);
      const page = document.querySelector("#page").dataset;
      const got = await fetch(`/assets/${page.asset}/snap?${q}`).then((r) => (r.ok ? r.json() : null))
        .catch(() => null);
      if (!this.#next) then(got ?? { by, say: "", lines: [] });
    }
    this.#busy = false;
  }
}

// held shows on the drawing what a drag is held by.
export function held(lines) {
  const svg = document.querySelector("#drawing svg");
  svg?.querySelectorAll(".held-by").forEach((e) => e.remove());
  for (const line of lines ?? []) {
    svg?.insertAdjacentHTML("beforeend", line.map(([[x0, y0], [x1, y1]]) => (x0 === x1 && y0 === y1 ?
      `<circle class="held-by" cx="${x0}" cy="${y0}" r="5"/>` : `<path class="held-by" d="M${x0} ${y0}L${x1} ${y1}"/>`))
      .join(""));
  }
}
