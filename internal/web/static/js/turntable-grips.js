// Grips of the shape that is chosen, on the turntable: a knob on each side of its box is pulled to size it, with Shift
// to move it; an arc round each axis is pulled to turn it.
import * as T from "../vendor/three-0.187.0.min.js";
import { catches, move, rested, say, size, Snapper, turn } from "./shaping.js";

const INK = 0x16232b, DIM = 0x1f4fbf;
const axis = (i) => new T.Vector3().setComponent(i, 1);

// strip is a band of quads between two rows of places, seen from both sides.
function strip(rows) {
  const places = [];
  for (let i = 0; i + 1 < rows.length; i++) {
    const [a, b] = rows[i], [c, d] = rows[i + 1];
    places.push(...a, ...b, ...d, ...a, ...d, ...c);
  }
  const g = new T.BufferGeometry();
  g.setAttribute("position", new T.BufferAttribute(new Float32Array(places), 3));
  return g;
}

// along puts a place, given along an axis and the two after it, in order.
const along = (i, ...v) => { const p = [0, 0, 0]; v.forEach((x, k) => { p[(i + k) % 3] = x; }); return p; };

// arc is a sixth of a ring round an axis.
const arc = (i, r, wide) => strip(Array.from({ length: 17 }, (_, k) => {
  const [s, c] = [Math.sin, Math.cos].map((f) => f((Math.PI / 3) * (k / 16) + Math.PI / 12));
  return [along(i, 0, (r - wide) * c, (r - wide) * s), along(i, 0, (r + wide) * c, (r + wide) * s)];
}));
// Grips are those of a scene's shapes. ask is called when it is to be drawn once more.
export class Grips {
  #group = new T.Group();
  #drag;

  constructor({ scene, shapes, camera, controls, canvas, ask }) {
    Object.assign(this, { shapes, camera, controls, canvas, ask });
    scene.add(this.#group);
    this.show = this.show.bind(this);
    this.on = [["change", (e) => e.target.matches?.('#shapes [name="shape"]') && this.show()],
      ["yarvek:shapes", this.show]];
    for (const [kind, f] of this.on) document.addEventListener(kind, f);
    this.show();
  }

  stop() { for (const [kind, f] of this.on) document.removeEventListener(kind, f); }

  // show puts grips round the one shape that is ticked.
  show() {
    this.#group.clear();
    const ticked = [...document.querySelectorAll('#shapes [name="shape"]:checked')];
    this.of = ticked.length === 1 ? this.shapes.find((s) => s.userData.id === ticked[0].value) : undefined;
    this.canvas.dataset.grips = this.of ? this.of.userData.id : "";
    if (this.of) this.#make();
    this.ask();
  }

  #make() {
    const skin = this.of.userData.skin;
    this.box = new T.Box3().setFromBufferAttribute(skin.geometry.getAttribute("position"));
    const mid = this.box.getCenter(new T.Vector3()), half = this.box.getSize(new T.Vector3()).multiplyScalar(0.5);
    const big = Math.max(half.x, half.y, half.z);
    const material = () => new T.MeshBasicMaterial({ color: INK, depthTest: false, side: T.DoubleSide,
      transparent: true });
    for (let i = 0; i < 3; i++) {
      for (const sign of [-1, 1]) {
        const grip = new T.Mesh(new T.SphereGeometry(0.1 * big, 12, 8), material());
        grip.position.copy(mid).addScaledVector(axis(i), sign * (half.getComponent(i) + 0.35 * big));
        const stem = new T.BufferGeometry().setFromPoints([grip.position,
          mid.clone().addScaledVector(axis(i), sign * half.getComponent(i))]);
        this.#group.add(new T.LineSegments(stem, new T.LineBasicMaterial({ color: INK, depthTest: false,
          transparent: true })));
        grip.userData = { axis: i, sign };
        this.#group.add(grip);
      }
      const turning = new T.Mesh(arc(i, 1.3 * big, 0.045 * big), material());
      turning.position.copy(mid);
      turning.userData = { axis: i, turning: true };
      this.#group.add(turning);
    }
    for (const g of this.#group.children) g.renderOrder = 5;
  }

  #ray(e) {
    const r = this.canvas.getBoundingClientRect(), ray = new T.Raycaster();
    ray.setFromCamera(new T.Vector2(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2),
      this.camera);
    return ray;
  }

  // press takes hold of a grip, if there is one below the pointer.
  press(e) {
    if (!this.of || e.button !== 0) return false;
    const [hit] = this.#ray(e).intersectObjects(this.#group.children.filter((o) => o.isMesh), false);
    if (!hit) return false;
    const { axis: i, sign, turning } = hit.object.userData;
    hit.object.material.color.set(DIM);
    const mid = this.box.getCenter(new T.Vector3());
    this.#drag = { i, sign, turning, mid, id: this.of.userData.id, shift: e.shiftKey };
    this.#drag.from = turning ? this.#angle(e) : this.#along(e);
    if (!turning) {
      const grip = [0, 0, 0], free = [false, false, false];
      if (!e.shiftKey) grip[i] = sign;
      free[i] = true;
      this.#drag.snapper = new Snapper(this.#drag.id, grip, free);
    }
    this.controls.enabled = false;
    return true;
  }

  // #along is how far along the drag's axis the pointer is: where its ray comes nearest to the axis.
  #along(e) {
    const { i, mid } = this.#drag, { origin, direction } = this.#ray(e).ray;
    const a = axis(i), w = mid.clone().sub(origin), b = a.dot(direction), d = 1 - b * b;
    return d < 1e-6 ? 0 : (b * w.dot(direction) - w.dot(a)) / d;
  }

  // #angle is where the pointer is round the drag's axis, in degrees.
  #angle(e) {
    const { i, mid } = this.#drag, n = axis(i);
    const { origin, direction } = this.#ray(e).ray;
    const t = mid.clone().sub(origin).dot(n) / direction.dot(n);
    if (!(t > 0) || !Number.isFinite(t)) return this.#drag.last ?? 0;
    const at = origin.clone().addScaledVector(direction, t);
    const u = axis((i + 1) % 3), v = axis((i + 2) % 3);
    at.sub(mid);
    return (this.#drag.last = (Math.atan2(at.dot(v), at.dot(u)) * 180) / Math.PI);
  }

  // pull follows the pointer; false when nothing is held.
  pull(e) {
    const d = this.#drag;
    if (!d) return false;
    if (d.turning) {
      const turned = this.#angle(e) - d.from, short = turned - 360 * Math.round(turned / 360);
      d.degrees = e.ctrlKey ? Number(short.toFixed(1)) : rested(short);
      say(`Turned by ${d.degrees}°.`);
      const by = (d.degrees * Math.PI) / 180;
      this.of.setRotationFromAxisAngle(axis(d.i), by);
      this.of.position.copy(d.mid).sub(d.mid.clone().applyAxisAngle(axis(d.i), by));
      this.ask();
      return true;
    }
    const far = this.#along(e) - d.from;
    this.#put(far, "");
    if (!e.ctrlKey) {
      const pixel = (2 * Math.tan((this.camera.fov * Math.PI) / 360) * this.camera.position.distanceTo(d.mid)) /
        this.canvas.clientHeight;
      d.snapper.at([0, 1, 2].map((k) => (k === d.i ? far : 0)), catches * pixel, (got) => {
        if (this.#drag === d) this.#put(got.by[d.i], got.say);
      });
    }
    return true;
  }

  #put(far, onto) {
    const d = this.#drag, wide = this.box.getSize(new T.Vector3()).getComponent(d.i);
    d.far = far;
    if (d.shift) {
      this.of.position.copy(axis(d.i)).multiplyScalar(far);
      this.ask();
      say(`Moved by ${far.toFixed(3)} m${onto && `, ${onto}`}.`);
      return;
    }
    d.times = Math.max(0.02, wide ? 1 + (d.sign * far) / wide : 1);
    const still = d.mid.getComponent(d.i) - (d.sign * wide) / 2;
    this.of.scale.copy(axis(d.i)).multiplyScalar(d.times - 1).addScalar(1);
    this.of.position.copy(axis(d.i)).multiplyScalar(still * (1 - d.times));
    this.ask();
    say(`${(d.times * wide).toFixed(3)} m${onto && `, ${onto}`}.`);
  }

  // lift decides what is shown.
  async lift() {
    const d = this.#drag;
    await d.snapper?.done;
    this.controls.enabled = true;
    this.#drag = undefined;
    const only = (v, other) => [0, 1, 2].map((k) => (k === d.i ? v : other));
    const did = d.turning ? turn(d.id, d.i, d.degrees ?? 0) : d.shift ? move(d.id, only(d.far ?? 0, 0)) :
      size(d.id, only(d.times ?? 1, 1), only(-d.sign, 0));
    if (!did) this.show();
  }

  get held() { return Boolean(this.#drag); }
}
