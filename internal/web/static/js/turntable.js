// The asset as a solid one can turn: pale paper shading, feature edges in ink, a
// ground grid in metres. Needs WebGL and says so when it is missing.
import * as T from "../vendor/three-0.187.0.min.js";

const PAPER = 0xfbfcf8, INK = 0x16232b, SHADE = 0xdfe5e1, HAIR = 0xb7c2be;

async function load(url) {
  const res = await fetch(url);
  if (!res.ok) {
    const doc = new DOMParser().parseFromString(await res.text(), "text/html");
    throw new Error(doc.querySelector(".lead")?.textContent || "The mesh could not be fetched.");
  }
  const buf = await res.arrayBuffer();
  const [points, tris, edges] = new Uint32Array(buf, 0, 3);
  return {
    points: new Float32Array(buf, 12, 3 * points),
    tris: new Uint32Array(buf, 12 + 12 * points, 3 * tris),
    edges: new Uint32Array(buf, 12 + 12 * points + 12 * tris, 2 * edges),
  };
}

function solid({ points, tris, edges }) {
  const group = new T.Group();
  const pos = new T.BufferAttribute(points, 3);
  const mesh = new T.BufferGeometry();
  mesh.setAttribute("position", pos);
  mesh.setIndex(new T.BufferAttribute(tris, 1));
  const behind = { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }; // the edges
  const pale = new T.MeshLambertMaterial({ color: SHADE, flatShading: true, side: T.DoubleSide, ...behind });
  group.add(new T.Mesh(mesh, pale));
  const lines = new T.BufferGeometry();
  lines.setAttribute("position", pos);
  lines.setIndex(new T.BufferAttribute(edges, 1));
  group.add(new T.LineSegments(lines, new T.LineBasicMaterial({ color: INK })));
  return group;
}

export async function turntable(canvas, url) {
  const data = await load(url);
  let gl;
  try {
    gl = new T.WebGLRenderer({ canvas, antialias: true });
  } catch {
    throw new Error("This browser has no WebGL, which the turntable needs. The drawing shows the same asset.");
  }
  gl.setPixelRatio(Math.min(devicePixelRatio, 2));
  const scene = new T.Scene();
  scene.background = new T.Color(PAPER);
  scene.add(new T.HemisphereLight(0xffffff, 0xc9d2ce, 2.4));
  const sun = new T.DirectionalLight(0xffffff, 1.3);
  sun.position.set(-0.5, 0.9, 0.7);
  scene.add(sun);
  const asset = solid(data);
  scene.add(asset);

  const box = new T.Box3().setFromObject(asset);
  const size = box.getSize(new T.Vector3());
  const mid = box.getCenter(new T.Vector3());
  const reach = Math.max(size.x, size.y, size.z, 1e-6);
  const cells = Math.min(200, Math.max(4, 2 * Math.ceil(reach)));
  const grid = new T.GridHelper(cells, cells, INK, HAIR);
  grid.position.set(Math.round(mid.x), box.min.y, Math.round(mid.z));
  scene.add(grid);

  const camera = new T.PerspectiveCamera(32, 1, reach / 100, reach * 100);
  camera.position.copy(mid).add(new T.Vector3(0.55, 0.38, 1).normalize().multiplyScalar(reach * 3));
  const controls = new T.OrbitControls(camera, canvas);
  controls.target.copy(mid);
  controls.listenToKeyEvents?.(canvas);
  controls.update();

  let asked = 0;
  const draw = () => {
    asked = 0;
    const w = canvas.clientWidth, h = canvas.clientHeight;
    if (!w || !h) return;
    gl.setSize(w, h, false);
    camera.aspect = w / h;
    camera.updateProjectionMatrix();
    gl.render(scene, camera);
    canvas.dataset.drawn = String(data.tris.length / 3);
  };
  const ask = () => { asked ||= requestAnimationFrame(draw); };
  controls.addEventListener("change", ask);
  // Arrow keys turn, plus and minus come nearer and go away.
  const key = (e) => {
    const turn = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    const off = camera.position.clone().sub(controls.target);
    if (turn) {
      e.preventDefault();
      off.applyAxisAngle(new T.Vector3(0, 1, 0), 0.12 * turn[0]);
      off.y += 0.12 * turn[1] * off.length();
    } else if (e.key === "+" || e.key === "-") off.multiplyScalar(e.key === "+" ? 0.85 : 1.18);
    else return;
    camera.position.copy(controls.target).add(off);
    controls.update();
    ask();
  };
  canvas.addEventListener("keydown", key);
  // A click without a drag, or Enter in the middle, is a line of sight into the mesh.
  const sight = (x, y) => {
    const along = new T.Vector3(x, y, 0.5).unproject(camera).sub(camera.position).normalize();
    const spread = (2 * Math.tan((camera.fov * Math.PI) / 360) * 9) / canvas.clientHeight;
    document.dispatchEvent(new CustomEvent("yarvek:ray", { detail: { from: camera.position.toArray(), along: along.toArray(), spread } }));
  };
  let down;
  const press = (e) => { down = [e.clientX, e.clientY]; };
  const lift = (e) => {
    if (!down || Math.hypot(e.clientX - down[0], e.clientY - down[1]) > 3) return;
    const r = canvas.getBoundingClientRect();
    sight(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2);
  };
  const enter = (e) => { if (e.key === "Enter") sight(0, 0); };
  canvas.addEventListener("pointerdown", press);
  canvas.addEventListener("pointerup", lift);
  canvas.addEventListener("keydown", enter);
  const watch = new ResizeObserver(ask);
  watch.observe(canvas);
  ask();
  return {
    stop() {
      watch.disconnect();
      canvas.removeEventListener("keydown", key);
      canvas.removeEventListener("pointerdown", press);
      canvas.removeEventListener("pointerup", lift);
      canvas.removeEventListener("keydown", enter);
      controls.dispose();
      gl.dispose();
    },
  };
}
