// A trial of the test floor played on the turntable: the asset goes where it went, with the ball, box
// or walker that came.
import * as T from "../vendor/three-0.187.0.min.js";

// outline is what comes as lines about its middle, a walker's about the soles.
function outline(m) {
  const out = [];
  const path = (list) => { for (let i = 0; i + 1 < list.length; i++) out.push(...list[i], ...list[i + 1]); };
  const round = (n, f) => Array.from({ length: n + 1 }, (_, i) => f((2 * Math.PI * i) / n));
  const h = m.size / 2, { sin, cos } = Math;
  if (m.kind === "box") {
    for (const y of [-h, h]) path([[-h, y, -h], [h, y, -h], [h, y, h], [-h, y, h], [-h, y, -h]]);
    for (const [x, z] of [[-h, -h], [h, -h], [h, h], [-h, h]]) path([[x, -h, z], [x, h, z]]);
    return out;
  }
  const r = m.kind === "ball" ? h : m.wide / 2;
  const up = m.kind === "ball" ? 0 : Math.max(0, m.tall - m.wide), low = m.kind === "ball" ? 0 : r;
  for (const y of up ? [low, low + up] : [low]) path(round(32, (a) => [r * cos(a), y, r * sin(a)]));
  for (let k = 0; k < 4; k++) {
    const c = cos((Math.PI * k) / 4), s = sin((Math.PI * k) / 4);
    path(round(32, (a) => [r * cos(a) * c, low + r * sin(a) + (sin(a) > 0 ? up : 0), r * cos(a) * s]));
  }
  return out;
}

// stand puts what is modelled about a place of its own where a row says: a place and the rows of a turn.
function stand(thing, [x, y, z, ...r], [a, b, c]) {
  thing.position.set(x - r[0] * a - r[1] * b - r[2] * c, y - r[3] * a - r[4] * b - r[5] * c,
    z - r[6] * a - r[7] * b - r[8] * c);
  // The quaternion by its largest part (Shepperd 1978).
  const [m00, m01, m02, m10, m11, m12, m20, m21, m22] = r;
  const q = [
    [m21 - m12, m02 - m20, m10 - m01, 1 + m00 + m11 + m22],
    [1 + m00 - m11 - m22, m01 + m10, m02 + m20, m21 - m12],
    [m01 + m10, 1 - m00 + m11 - m22, m12 + m21, m02 - m20],
    [m02 + m20, m12 + m21, 1 - m00 - m11 + m22, m10 - m01],
  ].reduce((p, n) => (Math.hypot(...n) > Math.hypot(...p) ? n : p));
  const l = Math.hypot(...q);
  thing.quaternion.set(q[0] / l, q[1] / l, q[2] / l, q[3] / l);
}

// play ties the buttons of the worksheet to a turntable; solid is the asset, stage what a guest is
// added to.
export async function play(box, { solid, stage, ask }) {
  const answer = await fetch(box.dataset.moves);
  if (!answer.ok) throw new Error("The trial could not be fetched.");
  const m = await answer.json();
  const slider = box.querySelector("#moment"), say = box.querySelector("output");
  const button = box.querySelector("#play"), slowly = box.querySelector("#slowly");
  const length = (m.frames.length - 1) * m.step;
  let guest;
  if (m.guest) {
    const lines = new T.BufferGeometry();
    lines.setAttribute("position", new T.BufferAttribute(new Float32Array(outline(m)), 3));
    guest = new T.LineSegments(lines, new T.LineBasicMaterial({ color: 0x2a7a4c }));
    stage.add(guest);
  }
  const show = (t) => {
    const i = Math.min(m.frames.length - 1, Math.max(0, Math.round(t / m.step)));
    stand(solid, m.frames[i], m.centre);
    if (guest) stand(guest, m.guest[i], [0, 0, 0]);
    say.textContent = `${(i * m.step).toFixed(2)} s`;
    slider.setAttribute("aria-valuetext", say.textContent);
    slider.value = String(length > 0 ? Math.round((1000 * t) / length) : 0);
    box.dataset.at = String(i);
    ask();
  };
  let timer = 0, now = 0, last = 0;
  const halt = () => { cancelAnimationFrame(timer); timer = 0; button.textContent = "Play it"; };
  const step = (stamp) => {
    now += ((stamp - last) / 1000) * (slowly.getAttribute("aria-pressed") === "true" ? 0.25 : 1);
    last = stamp;
    show(Math.min(now, length));
    if (now >= length) return halt();
    timer = requestAnimationFrame(step);
  };
  const press = () => {
    if (timer) return halt();
    if (now >= length) now = 0;
    if (matchMedia("(prefers-reduced-motion: reduce)").matches) return show((now = length));
    button.textContent = "Halt";
    timer = requestAnimationFrame((stamp) => { last = stamp; step(stamp); });
  };
  const slow = () => slowly.setAttribute("aria-pressed", String(slowly.getAttribute("aria-pressed") !== "true"));
  const input = () => { halt(); show((now = (Number(slider.value) / 1000) * length)); };
  button.addEventListener("click", press);
  slowly.addEventListener("click", slow);
  slider.addEventListener("input", input);
  show(0);
  return {
    stop() {
      halt();
      button.removeEventListener("click", press);
      slowly.removeEventListener("click", slow);
      slider.removeEventListener("input", input);
    },
  };
}
