// The asset as a solid one can turn: on paper or with its materials, over a ground grid in
// metres, beside things of known size. Needs WebGL and says so when it is missing.
import * as T from "../vendor/three-0.187.0.min.js";
import { beside } from "./turntable-beside.js";
import { walk } from "./turntable-distance.js";
import { play } from "./turntable-floor.js";
import { apart } from "./turntable-apart.js";
import { Grips } from "./turntable-grips.js";
import { pair } from "./turntable-pair.js";
import { ball, gone, painted, paper, sky as skylight, tried } from "./turntable-mesh.js";

const PAPER = 0xfbfcf8, INK = 0x16232b, HAIR = 0xb7c2be, DIM = 0x1f4fbf;

// Where the camera stood, by asset: a decision brings a new mesh and not a new look at it.
let stood;

// turntable shows a station of an asset on a canvas, with names in a box over it. It gives
// look, to change between "paper", "material", "shading", "checker" and "density", things, to show or hide what stands
// beside
// it, and stop.
export async function turntable(canvas, labels, { asset: path, station, figure, changes }) {
  const url = `${path}/turntable?station=${station}&figure=${figure}`;
  // Browsers take pictures of the same address for the same, so that says how often they changed.
  const pictures = (n) => `${path}/pictures/${n}?station=${station}&at=${changes}`;
  const { head, solid, shapes, thingLines } = await paper(url, () => ask());
  let gl;
  try {
    gl = new T.WebGLRenderer({ canvas, antialias: true });
  } catch {
    throw new Error("This browser has no WebGL, which the turntable needs. The drawing shows the same asset.");
  }
  gl.setPixelRatio(Math.min(devicePixelRatio, 2));
  const scene = new T.Scene();
  scene.background = new T.Color(PAPER);
  const sky = new T.HemisphereLight(0xffffff, 0xc9d2ce, 2.4);
  scene.add(sky);
  const sun = new T.DirectionalLight(0xffffff, 1.3);
  sun.position.set(-0.5, 0.9, 0.7);
  scene.add(sun);
  scene.add(solid);

  const box = new T.Box3(new T.Vector3(...head.min), new T.Vector3(...head.max));
  const mid = box.getCenter(new T.Vector3());
  const reach = Math.max(head.reach, 1e-6);
  const cells = Math.min(200, Math.max(4, 2 * Math.ceil(reach)));
  const grid = new T.GridHelper(cells, cells, INK, HAIR);
  grid.position.set(Math.round(mid.x), head.ground, Math.round(mid.z));
  scene.add(grid);
  const company = beside(head, thingLines, labels);
  scene.add(company.group);
  // Before it leaves it is seen beside what came.
  const came = station === "export" ? await pair(`${url}&came=1`, { stage: scene, box, ground: head.ground,
    name: company.name }) : undefined;

  const camera = new T.PerspectiveCamera(32, 1, reach / 100, reach * 100);
  // At first all of it is seen, and what stands beside it.
  const all = box.clone().union(company.box);
  if (came) all.expandByObject(came);
  const seen = all.getBoundingSphere(new T.Sphere());
  const wide = Math.max(0.5, (canvas.clientWidth || 4) / (canvas.clientHeight || 3));
  const half = Math.min(Math.tan((camera.fov * Math.PI) / 360), Math.tan((camera.fov * Math.PI) / 360) * wide);
  const first = (0.92 * Math.max(seen.radius, 1e-6)) / Math.sin(Math.atan(half));
  camera.position.copy(seen.center).add(new T.Vector3(0.55, 0.38, 1).normalize().multiplyScalar(first));
  const controls = new T.OrbitControls(camera, canvas);
  controls.target.copy(seen.center);
  if (stood?.asset === path) { // as far off in its own sizes, from the same side
    controls.target.copy(mid).addScaledVector(stood.target, reach);
    camera.position.copy(controls.target).addScaledVector(stood.off, reach);
  }
  controls.listenToKeyEvents?.(canvas);
  controls.update();

  let asked = 0;
  const draw = () => {
    asked = 0;
    const w = canvas.clientWidth, h = canvas.clientHeight;
    if (!w || !h) return;
    const { x, y } = gl.getSize(new T.Vector2());
    if (x !== w || y !== h) gl.setSize(w, h, false);
    camera.aspect = w / h;
    camera.updateProjectionMatrix();
    company.face(camera, w, h);
    // So far off that lines would be all that is seen, there are none.
    const close = camera.position.distanceTo(controls.target) < 9 * reach;
    scene.traverse((o) => { if (o.userData.crease) o.visible = close && !o.userData.away; });
    scene.traverse((o) => {
      o.userData.face?.(camera, gl);
      if (o.userData.took) canvas.dataset.sorted = o.userData.took.toFixed(0);
    });
    gl.render(scene, camera);
    canvas.dataset.drawn = String(head.triangles);
    canvas.dataset.pair = String(Boolean(came));
    canvas.dataset.frames = String(Number(canvas.dataset.frames ?? 0) + 1);
    // Where it is looked at from, in its own sizes.
    canvas.dataset.eye = camera.position.clone().sub(mid).divideScalar(reach).toArray().map((v) =>
      v.toFixed(3)).join(" ");
  };
  const ask = () => { asked ||= requestAnimationFrame(draw); };
  const keep = () => {
    stood = { asset: path, target: controls.target.clone().sub(mid).divideScalar(reach),
      off: camera.position.clone().sub(controls.target).divideScalar(reach) };
  };
  controls.addEventListener("change", () => { keep(); ask(); });
  // What a decision would make, in dashes.
  let ghost;
  const outline = (e) => {
    if (ghost) { scene.remove(ghost); ghost.geometry.dispose(); ghost.material.dispose(); ghost = undefined; }
    if (e.detail?.length) {
      const lines = new T.BufferGeometry();
      lines.setAttribute("position", new T.BufferAttribute(e.detail, 3));
      ghost = new T.LineSegments(lines, new T.LineDashedMaterial({ color: DIM, dashSize: reach / 60,
        gapSize: reach / 90 }));
      ghost.computeLineDistances();
      scene.add(ghost);
    }
    canvas.dataset.ghost = String(e.detail?.length ?? 0);
    ask();
  };
  document.addEventListener("yarvek:ghost", outline);
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
    document.dispatchEvent(new CustomEvent("yarvek:ray", { detail: { from: camera.position.toArray(),
      along: along.toArray(), spread } }));
  };
  let down;
  const grips = shapes.length ? new Grips({ scene, shapes, camera, controls, canvas, ask }) : undefined;
  const press = (e) => {
    down = [e.clientX, e.clientY];
    if (!grips?.press(e)) return;
    down = undefined;
    if (e.isTrusted) canvas.setPointerCapture(e.pointerId);
    e.stopImmediatePropagation();
  };
  const pull = (e) => grips?.pull(e);
  const lift = (e) => {
    if (grips?.held) { grips.lift(); return; }
    if (!down || Math.hypot(e.clientX - down[0], e.clientY - down[1]) > 3) return;
    const r = canvas.getBoundingClientRect();
    const x = ((e.clientX - r.left) / r.width) * 2 - 1, y = 1 - ((e.clientY - r.top) / r.height) * 2;
    choose(x, y);
    sight(x, y);
  };
  const enter = (e) => { if (e.key === "Enter") sight(0, 0); };
  canvas.addEventListener("pointerdown", press, true);
  canvas.addEventListener("pointermove", pull);
  canvas.addEventListener("pointerup", lift);
  canvas.addEventListener("keydown", enter);
  const watch = new ResizeObserver(ask);
  watch.observe(canvas);
  ask();

  // With its materials, a checker and so on, each fetched when it is first asked for.
  const dressed = {};
  let stopped = false, wanted = "paper", grey, pulled;
  const look = async (which) => {
    wanted = which;
    // Materials are seen under a small sky, beside a ball of neutral grey.
    scene.environment = which === "material" ? scene.userData.sky ??= skylight(gl) : null;
    sky.intensity = which === "material" ? 0 : 2.4;
    sun.intensity = which === "material" ? 0.35 : 1.3;
    if (which === "material" && !grey) {
      grey = ball(reach / 9);
      grey.position.set(box.max.x + reach / 5, head.ground + reach / 9, mid.z);
      scene.add(grey);
    }
    if (grey) grey.visible = which === "material";
    if (which !== "paper") {
      dressed[which] ??= painted(`${url}&look=${which}`, pictures, () => {
        canvas.dataset.pictures = String(Number(canvas.dataset.pictures ?? 0) + 1);
        ask();
      });
      const mesh = await dressed[which].catch((err) => { delete dressed[which]; throw err; });
      if (stopped) return gone(mesh);
      if (!mesh.parent) scene.add(mesh);
    }
    for (const [name, coming] of Object.entries(dressed)) {
      const mesh = await coming.catch(() => null);
      if (mesh) mesh.visible = name === wanted;
    }
    solid.visible = wanted === "paper";
    canvas.dataset.look = wanted;
    await pulled?.dress(wanted);
    ask();
  };
  // A picture of the artist's own is tried on what is dressed in materials.
  const trying = async (e) => {
    await look("material");
    tried(await dressed.material, e.detail.url, e.detail.slots, ask);
    canvas.dataset.tried = e.detail.url ? "yes" : "";
  };
  document.addEventListener("yarvek:try", trying);
  // At LODs the distance is walked through; the asset's own meshes are there up to the first of them.
  let way;
  const walkway = document.querySelector("#walk"), data = document.querySelector("#distances")?.dataset.distances;
  if (walkway && data) {
    walkway.hidden = false;
    const distances = JSON.parse(data);
    const asset = new T.Group();
    scene.add(asset);
    asset.add(solid);
    const tan = (deg) => Math.tan((deg * Math.PI) / 360);
    const far = camera.position.distanceTo(controls.target);
    way = walk(walkway, distances, {
      url, stage: scene, ask, pictures,
      own(on) {
        asset.visible = on;
        for (const [name, m] of Object.entries(dressed)) m.then((x) => { x.visible = on && name === wanted;
          }).catch(() => {});
      },
      zoom(d) {
        const off = d ? (d * tan(distances.angle)) / tan(camera.fov) : far;
        camera.far = Math.max(reach * 100, off * 2);
        camera.position.sub(controls.target).setLength(off).add(controls.target);
        controls.update();
      },
    });
  }
  // What it is made of is pulled apart: shapes, LODs one behind another, slots.
  const puller = document.querySelector("#pull");
  if (puller) {
    const levels = data ? (JSON.parse(data).from ?? []).map((_, i) =>
      () => paper(`${url}&lod=${i + 1}`).then((p) => p.solid)) : [];
    pulled = apart(puller, { stage: scene, solid, shapes, box, ground: head.ground, levels, ask, name: company.name,
      slots: () => dressed.material ?? look("material").then(() => dressed.material), of: station });
  }
  // A press on a shape chooses it, as its tick in the table does.
  const choose = (x, y) => {
    if (!shapes.length || document.body.classList.contains("picking")) return;
    const ray = new T.Raycaster();
    ray.setFromCamera(new T.Vector2(x, y), camera);
    const [hit] = ray.intersectObjects(shapes.map((s) => s.userData.skin), false);
    const group = hit && shapes.find((s) => s.userData.skin === hit.object);
    if (group) document.querySelector(`#shapes input[value="${CSS.escape(group.userData.id)}"]`)?.click();
  };
  // On the test floor the asset goes where it went in the trial.
  const playing = document.querySelector("#playing");
  // Where it goes beyond the view the view goes along.
  const hold = () => {
    const at = new T.Box3().setFromObject(solid).getCenter(new T.Vector3());
    const p = at.clone().project(camera);
    if (Math.abs(p.x) < 0.6 && Math.abs(p.y) < 0.6 && p.z < 1) return;
    const by = at.sub(controls.target);
    controls.target.add(by);
    camera.position.add(by);
    controls.update();
  };
  const trial = playing ? await play(playing, { solid, stage: scene, ask: () => { hold(); ask(); } }) : undefined;
  return {
    look: async (which) => { await look(which); await way?.look(which); },
    thinned: head.thinned,
    things(on) {
      company.known(on);
      ask();
    },
    stop() {
      stopped = true;
      way?.stop();
      pulled?.stop();
      trial?.stop();
      gone(scene);
      labels.replaceChildren();
      watch.disconnect();
      document.removeEventListener("yarvek:ghost", outline);
      document.removeEventListener("yarvek:try", trying);
      canvas.removeEventListener("keydown", key);
      grips?.stop();
      canvas.removeEventListener("pointerdown", press, true);
      canvas.removeEventListener("pointermove", pull);
      canvas.removeEventListener("pointerup", lift);
      canvas.removeEventListener("keydown", enter);
      controls.dispose();
      gl.dispose();
    },
  };
}
