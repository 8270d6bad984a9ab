// Pulls what stands on the turntable apart, as in an exploded drawing: shapes of collision, each from the middle of
// all; LODs one behind another; slots of a dressed mesh.
import * as T from "../vendor/three-0.187.0.min.js";
import { gone } from "./turntable-mesh.js";

const INK2 = 0x51626b;

const middle = (o) => new T.Box3().setFromObject(o).getCenter(new T.Vector3());

// dotted is the way a part went.
function dotted(stage, size) {
  const g = new T.BufferGeometry();
  g.setAttribute("position", new T.BufferAttribute(new Float32Array(6), 3));
  const l = new T.LineSegments(g, new T.LineDashedMaterial({ color: INK2, dashSize: size / 200, gapSize: size / 90 }));
  stage.add(l);
  return l;
}

// bySlot is a dressed mesh as a mesh a slot, which share its corners.
function bySlot(mesh) {
  const all = mesh.geometry;
  return all.groups.map((g) => {
    const part = new T.BufferGeometry();
    for (const [name, a] of Object.entries(all.attributes)) part.setAttribute(name, a);
    part.setIndex(new T.BufferAttribute(all.index.array.subarray(g.start, g.start + g.count), 1));
    const at = new T.Box3(), v = new T.Vector3();
    for (const i of part.index.array) at.expandByPoint(v.fromBufferAttribute(all.attributes.position, i));
    const one = new T.Mesh(part, mesh.material[g.materialIndex]);
    one.userData.middle = at.getCenter(new T.Vector3());
    return one;
  });
}

// apart ties the slider to a turntable. levels fetch the LODs besides the first; slots gives the dressed mesh.
export function apart(box, { stage, solid, shapes, box: bounds, ground, levels, slots, ask, name, of }) {
  const slider = box.querySelector("input"), say = box.querySelector("output");
  const mid = bounds.getCenter(new T.Vector3()), size = bounds.getSize(new T.Vector3());
  const long = Math.max(size.x, size.y, size.z);
  let stopped = false, parts = [], behind, split, look = "paper";
  box.hidden = of === "collision" ? !shapes.length : of === "lods" ? !levels.length : false;
  for (const s of shapes) {
    const from = middle(s), at = from.clone();
    parts.push({ move: s, from, at, tie: dotted(stage, long), label: name(s.userData.letter, at, "letter") });
  }
  // pull moves a part from where it was, and its letter with it.
  const pull = (p, k) => {
    const by = p.from.clone().sub(mid).multiplyScalar(k);
    by.y = (p.from.y - ground) * 0.8 * k;
    p.move.position.copy(by);
    p.at?.copy(p.from).add(by);
    if (!p.tie) return;
    const ends = p.tie.geometry.attributes.position;
    ends.setXYZ(0, ...p.from.toArray());
    ends.setXYZ(1, ...p.from.clone().add(by).toArray());
    ends.needsUpdate = true;
    p.tie.computeLineDistances();
    p.tie.visible = k > 0;
  };
  const ladder = async (k) => {
    behind ??= Promise.all(levels.map((l) => l()));
    const list = await behind;
    if (stopped) return list.forEach(gone);
    list.forEach((m, i) => {
      if (!m.parent) stage.add(m);
      m.visible = k > 0;
      m.position.set(0, 0, -(i + 1) * k * (size.z + 0.15 * long));
    });
  };
  const bySlots = async (k) => {
    const mesh = await slots();
    if (stopped || !mesh) return;
    if (!split) {
      split = bySlot(mesh);
      for (const m of split) {
        stage.add(m);
        parts.push({ move: m, from: m.userData.middle });
      }
    }
    for (const m of split) m.visible = k > 0 && look === "material";
    mesh.visible = k === 0 && look === "material";
  };
  const show = async () => {
    const k = Number(slider.value) / 100;
    say.textContent = `${k.toFixed(1)} ×`;
    slider.setAttribute("aria-valuetext", say.textContent);
    if (of === "lods") await ladder(k);
    if (of === "slots" && (k > 0 || split)) await bySlots(k);
    for (const p of parts) pull(p, k);
    // Pulled apart the shapes are seen by themselves, whole.
    for (const s of shapes) {
      Object.assign(s.userData.skin.material, { opacity: k > 0 ? 1 : 0.45, depthWrite: k > 0 });
      for (const o of solid.children) {
        if (shapes.includes(o)) continue;
        o.userData.away = k > 0;
        o.visible = k === 0;
      }
    }
    box.dataset.apart = String(k);
    ask();
  };
  slider.addEventListener("input", show);
  show();
  return {
    async dress(which) { look = which; if (Number(slider.value) > 0 || split) await show(); },
    stop() {
      stopped = true;
      slider.removeEventListener("input", show);
      for (const p of parts) p.tie?.geometry.dispose();
      split?.forEach((m) => m.geometry.dispose());
    },
  };
}
