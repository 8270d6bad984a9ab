// A second opinion: the written file is read by general loaders that nobody here wrote, and what they make of it is
// sent in figures that stand beside this house's own. What the figures are is said in core/deliver/figures.go.

const loaders = () => import("../vendor/three-loaders-0.187.0.min.js");
const READER = "three.js loaders 0.187.0";
const uses = ["map", "normalMap", "bumpMap", "roughnessMap", "metalnessMap", "aoMap", "emissiveMap", "alphaMap"];

// What a texture shows, once for each file: not all loaders open a picture that is used twice only once.
function sourceOf(m) {
  const src = m.image?.currentSrc || m.image?.src;
  if (src && !src.startsWith("blob:")) return src;
  if (!src) return m.source || m.image;
  const side = 16, c = new OffscreenCanvas(side, side).getContext("2d");
  c.drawImage(m.image, 0, 0, side, side);
  return `${m.image.width} ${m.image.height} ${c.getImageData(0, 0, side, side).data}`;
}

// The name a file gave an object, before a loader made it fit for its own use.
const nameOf = (o) => o.userData.originalName ?? o.userData.name ?? o.name;

async function parsed(url, mtl) {
  const { THREE, FBXLoader, GLTFLoader, OBJLoader, MTLLoader, ColladaLoader, PLYLoader, STLLoader, USDLoader } =
    await loaders();
  const manager = new THREE.LoadingManager();
  let broken = 0;
  manager.onError = () => { broken++; };
  const settled = new Promise((go) => { manager.onLoad = go; setTimeout(go, 20000); });
  const path = new URL(url, location.href).href;
  let root;
  if (/\.fbx$/i.test(path)) root = await new FBXLoader(manager).loadAsync(path);
  else if (/\.(glb|gltf)$/i.test(path)) root = (await new GLTFLoader(manager).loadAsync(path)).scene;
  else if (/\.dae$/i.test(path)) root = (await new ColladaLoader(manager).loadAsync(path)).scene;
  else if (/\.usd[acz]?$/i.test(path)) root = await new USDLoader(manager).loadAsync(path);
  else if (/\.(ply|stl)$/i.test(path)) { // one surface, without a name
    const loader = /\.ply$/i.test(path) ? new PLYLoader(manager) : new STLLoader(manager);
    const surface = await loader.loadAsync(path);
    // Without faces there are no numbers of corners.
    root = /\.ply$/i.test(path) && !surface.index ? new THREE.Points(surface) : new THREE.Mesh(surface);
  } else {
    const loader = new OBJLoader(manager);
    if (mtl) {
      const lib = await new MTLLoader(manager).loadAsync(new URL(mtl, location.href).href);
      lib.preload();
      loader.setMaterials(lib);
    }
    root = await loader.loadAsync(path);
  }
  await settled;
  return { THREE, root, broken: () => broken };
}

// product is the integral over a triangle of one unit of area of the product of two linear functions.
const product = (f, g) => (f[0] * g[0] + f[1] * g[1] + f[2] * g[2] + (f[0] + f[1] + f[2]) * (g[0] + g[1] + g[2])) / 12;
const mean = (f) => (f[0] + f[1] + f[2]) / 3;

// dotted adds points without faces.
function dotted(out, { position, normal, color }, lacks) {
  if (!normal) lacks.normals = true;
  if (!color) lacks.colors = true;
  lacks.uvs = true;
  out.dots += position.count;
  for (let i = 0; i < position.count; i++) for (let a = 0; a < 3; a++) {
    const x = position.getComponent(i, a);
    out.min[a] = Math.min(out.min[a], x);
    out.max[a] = Math.max(out.max[a], x);
    for (const [layer, of] of [["points", position], ["normals", normal], ["colors", color]]) {
      if (!of) continue;
      const v = of.getComponent(i, a);
      out[layer][a] += v;
      out[layer][3 + a] += v * x;
    }
  }
}

// figures reads a file and gives what it comes to.
export async function figures(url, mtl) {
  const { THREE, root, broken } = await parsed(url, mtl);
  root.updateMatrixWorld(true);
  const out = { triangles: 0, min: [Infinity, Infinity, Infinity], max: [-Infinity, -Infinity, -Infinity],
    volume: 0, dots: 0,
    nodes: [], slots: [], area: 0, points: Array(6).fill(0), normals: Array(6).fill(0), uvs: Array(6).fill(0),
    colors: Array(6).fill(0), pictures: [], broken: 0, cut: false };
  const most = 5000; // names; of more none are compared
  const slots = new Map(), maps = new Set(), lacks = {};
  const p = new THREE.Vector3();
  root.traverse((o) => {
    if (o.name) out.nodes.push(nameOf(o));
    if (o.isPoints) dotted(out, o.geometry.attributes, lacks);
    if (!o.isMesh) return;
    const { position, normal, uv, color } = o.geometry.attributes, idx = o.geometry.index;
    if (!position) return;
    if (!normal) lacks.normals = true;
    if (!uv) lacks.uvs = true;
    if (!color) lacks.colors = true;
    const turn = new THREE.Matrix3().getNormalMatrix(o.matrixWorld);
    const count = idx ? idx.count : position.count;
    const groups = Array.isArray(o.material) ? o.geometry.groups : [{ start: 0, count, materialIndex: 0 }];
    // A loader turns winding round below a mirrored node when it draws.
    const order = o.matrixWorld.determinant() < 0 ? [0, 2, 1] : [0, 1, 2];
    for (const g of groups) {
      const m = [o.material].flat()[g.materialIndex];
      for (const u of uses) if (m?.[u]) maps.add(m[u]);
      let sum = 0;
      for (let k = g.start; k + 2 < Math.min(count, g.start + g.count); k += 3) {
        const at = order.map((j) => (idx ? idx.getX(k + j) : k + j));
        const x = [[], [], []], n = [[], [], []], c = [[], [], []], t = [[], []];
        for (const i of at) {
          p.fromBufferAttribute(position, i).applyMatrix4(o.matrixWorld).toArray().forEach((v, a) => x[a].push(v));
          if (normal) {
            p.fromBufferAttribute(normal, i).applyMatrix3(turn).normalize().toArray().forEach((v, a) => n[a].push(v));
          }
          if (color) [color.getX(i), color.getY(i), color.getZ(i)].forEach((v, a) => c[a].push(v));
          if (uv) { t[0].push(uv.getX(i)); t[1].push(uv.getY(i)); }
        }
        const e = [0, 1, 2].map((a) => x[a][1] - x[a][0]), f = [0, 1, 2].map((a) => x[a][2] - x[a][0]);
        const cross = [e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]];
        const area = Math.hypot(...cross) / 2;
        out.triangles++;
        sum += area;
        out.volume += (x[0][0] * cross[0] + x[1][0] * cross[1] + x[2][0] * cross[2]) / 6;
        for (let a = 0; a < 3; a++) {
          out.min[a] = Math.min(out.min[a], ...x[a]);
          out.max[a] = Math.max(out.max[a], ...x[a]);
          out.points[a] += area * mean(x[a]);
          out.points[3 + a] += area * product(x[a], x[a]);
          if (normal) {
            out.normals[a] += area * mean(n[a]);
            out.normals[3 + a] += area * product(n[a], x[a]);
          }
          if (color) {
            out.colors[a] += area * mean(c[a]);
            out.colors[3 + a] += area * product(c[a], x[a]);
          }
          if (uv && a < 2) {
            out.uvs[a] += area * mean(t[a]);
            out.uvs[2 + a] += area * product(t[a], t[a]);
            out.uvs[4 + a] += area * product(t[a], x[a]);
          }
        }
      }
      out.area += sum;
      slots.set(m?.name ?? "", (slots.get(m?.name ?? "") ?? 0) + sum);
    }
  });
  if (out.nodes.length > 4 * most) out.nodes = [];
  for (const layer of ["normals", "uvs", "colors"]) if (lacks[layer] || !(out.triangles + out.dots)) out[layer] = [];
  if (!(out.triangles + out.dots)) { out.min = [0, 0, 0]; out.max = [0, 0, 0]; }
  // Not all loaders tell what materials are called.
  if (/\.usd.$/i.test(url) && [...slots.keys()].every((n) => !n)) slots.clear();
  out.slots = [...slots].map(([name, area]) => ({ name, area }));
  const images = new Set();
  for (const m of maps) {
    for (let i = 0; i < 200 && !(m.image?.width > 0); i++) await new Promise((go) => setTimeout(go, 10));
    if (m.image?.width > 0) images.add(sourceOf(m));
    else out.broken++;
  }
  const seen = new Set();
  for (const m of maps) {
    const of = sourceOf(m);
    if (images.has(of) && !seen.has(of)) {
      seen.add(of);
      out.pictures.push(m.image.width * 65536 + m.image.height);
    }
  }
  out.pictures.sort((a, b) => a - b);
  out.broken = Math.max(out.broken, broken());
  return out;
}

// ask reads the export that a page shows and has not asked about, and sends what came out. What is large is read only
// when somebody says so, since the page stands still meanwhile.
async function ask(pressed) {
  const at = document.querySelector("[data-opinion]");
  if (!at || at.dataset.asked || (at.dataset.large && pressed !== true)) return;
  at.dataset.asked = "yes";
  const { opinion, main, mtl } = at.dataset;
  let values;
  try {
    values = { reader: READER, figures: JSON.stringify(await figures(main, mtl)) };
  } catch (err) {
    values = { reader: READER, failed: String(err?.message ?? err).slice(0, 300) };
  }
  if (!at.isConnected) return; // the page went on meanwhile: the next one that shows it asks again
  globalThis.htmx.ajax("POST", opinion, { values, target: at, swap: "outerHTML", select: "unset" });
}

document.addEventListener("yarvek:sheet", ask);
document.addEventListener("click", (e) => { if (e.target.closest?.("[data-ask]")) ask(true); });
ask();
