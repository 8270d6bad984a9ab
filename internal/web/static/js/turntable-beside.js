// What stands on the turntable beside the asset: things everybody knows the size of, the
// pivot's quartered disc, the axes at the origin, and their names, which lie over the canvas.
import * as T from "../vendor/three-0.187.0.min.js";

const PAPER = 0xfbfcf8, INK = 0x16232b, INK2 = 0x51626b;

function segments(ends, color, dashes) {
  const g = new T.BufferGeometry();
  g.setAttribute("position", new T.BufferAttribute(ends, 3));
  if (!dashes) return new T.LineSegments(g, new T.LineBasicMaterial({ color }));
  const l = new T.LineSegments(g, new T.LineDashedMaterial({ color, dashSize: dashes, gapSize: dashes * 0.6 }));
  l.computeLineDistances();
  return l;
}

// things are the known things, with a name above each.
function things(head, ends, name) {
  const group = new T.Group();
  let from = 0;
  for (const t of head.things) {
    const part = ends.slice(from, (from += 6 * t.lines));
    const box = new T.Box3().setFromArray(part);
    group.add(segments(part, INK2, Math.max(box.max.y - box.min.y, 1e-6) / 40));
    const at = box.getCenter(new T.Vector3());
    at.y = box.max.y;
    name(`${t.name} ${t.figure}`, at, "thing");
  }
  return group;
}

// disc is the quartered disc, which faces the viewer and is as large from afar as from near.
function disc(at) {
  const parts = 48, group = new T.Group();
  const rim = (i) => [Math.cos((2 * Math.PI * i) / parts), Math.sin((2 * Math.PI * i) / parts), 0];
  const quarters = [[], []], ring = [];
  for (let i = 0; i < parts; i++) {
    quarters[Math.floor((4 * i) / parts) % 2].push(0, 0, 0, ...rim(i), ...rim(i + 1));
    ring.push(...rim(i), ...rim(i + 1));
  }
  quarters.forEach((ends, i) => {
    const g = new T.BufferGeometry();
    g.setAttribute("position", new T.BufferAttribute(new Float32Array(ends), 3));
    g.setAttribute("normal", new T.BufferAttribute(new Float32Array(ends.map((_, k) => Number(k % 3 === 2))), 3));
    const emissive = new T.Color([INK, PAPER][i]);
    group.add(new T.Mesh(g, new T.MeshLambertMaterial({ color: 0, emissive, depthTest: false, side: T.DoubleSide,
      transparent: true })));
  });
  const line = segments(new Float32Array(ring), INK);
  line.material.depthTest = false;
  line.material.transparent = true;
  group.add(line);
  group.children.forEach((o, i) => { o.renderOrder = 10 + i; });
  group.position.set(...at);
  return group;
}

// beside makes all of it, for a canvas with a box for names over it.
export function beside(head, ends, labels) {
  labels.replaceChildren();
  const names = [];
  const name = (text, at, kind) => {
    const el = document.createElement("span");
    el.className = kind;
    el.textContent = text;
    labels.append(el);
    names.push({ el, at, kind });
  };
  const group = new T.Group();
  const known = things(head, ends, name);
  group.add(known);
  const long = 0.35 * Math.max(head.reach, 1e-6);
  const axes = segments(new Float32Array([0, 0, 0, long, 0, 0, 0, 0, 0, 0, long, 0, 0, 0, 0, 0, 0, long]), INK);
  Object.assign(axes.material, { depthTest: false, transparent: true }); // seen through the asset
  axes.renderOrder = 5;
  group.add(axes);
  const tips = [[long, 0, 0], [0, long, 0], [0, 0, long]];
  tips.forEach((tip, i) => name(head.axes[i] + ["", " up", " front"][i], new T.Vector3(...tip), "axis"));
  const discs = [];
  if (head.pivot) discs.push([disc(head.pivot), 9]);
  for (const m of head.marks ?? []) discs.push([disc(m), 5]);
  if (head.pivot && head.heading) {
    const a = (head.heading * Math.PI) / 180, [x, y, z] = head.pivot;
    group.add(segments(new Float32Array([x, y, z, x + long * Math.sin(a), y, z + long * Math.cos(a)]), INK, long / 12));
  }
  for (const [d] of discs) group.add(d);
  const around = new T.Box3().setFromArray(ends.length ? ends : [0, 0, 0].map(() => Infinity));
  return {
    group,
    box: ends.length ? around : new T.Box3(), // of the known things
    name(text, at, kind) { name(text, at, kind); return names.at(-1); },
    known(on) {
      known.visible = on;
      for (const n of names) if (n.kind === "thing") n.hide = !on;
    },
    // face turns the discs to the viewer and puts the names where they belong.
    face(camera, width, height) {
      for (const [d, pixels] of discs) {
        d.quaternion.copy(camera.quaternion);
        const away = Math.max(1e-9,
          d.position.clone().sub(camera.position).dot(camera.getWorldDirection(new T.Vector3())));
        d.scale.setScalar((2 * away * Math.tan((camera.fov * Math.PI) / 360) * pixels) / height);
      }
      // Names keep clear of one another: one that would lie on another goes below it.
      const taken = [];
      for (const { el, at, hide } of names) {
        const p = at.clone().project(camera);
        el.hidden = Boolean(hide) || p.z > 1 || Math.abs(p.x) > 0.98 || Math.abs(p.y) > 0.96;
        if (el.hidden) continue;
        const x = ((p.x + 1) / 2) * width, wide = 7.6 * el.textContent.length + 6;
        let y = ((1 - p.y) / 2) * height;
        while (taken.some((t) => Math.abs(t.y - y) < 18 && x < t.x + t.wide && t.x < x + wide)) y += 18;
        taken.push({ x, y, wide });
        el.style.translate = `${x}px ${y}px`;
      }
    },
  };
}
