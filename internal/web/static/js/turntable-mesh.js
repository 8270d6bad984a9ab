// The asset on the turntable: as pale paper with feature edges in ink, or with its
// materials. The server says what is in a packed answer by a header before it.
import * as T from "../vendor/three-0.187.0.min.js";

const INK = 0x16232b, SHADE = 0xdfe5e1, MUST = 0xc2391a, DIMENSION = 0x1f4fbf, LOOK = 0xa87400;
const CHECKER = -2; // the number of a picture that is none of the asset's

// unpacked fetches a packed answer: its header, and a reader of the arrays behind it.
async function unpacked(url) {
  const res = await fetch(url);
  if (!res.ok) {
    const doc = new DOMParser().parseFromString(await res.text(), "text/html");
    throw new Error(doc.querySelector(".lead")?.textContent || "The mesh could not be fetched.");
  }
  const buf = await res.arrayBuffer();
  const [n] = new Uint32Array(buf, 0, 1);
  let at = 4 + n;
  const take = (Kind, count) => {
    const a = new Kind(buf, at, count);
    at += a.byteLength;
    return a;
  };
  return { head: JSON.parse(new TextDecoder().decode(new Uint8Array(buf, 4, n))), take };
}

const behind = { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }; // the edges

// paper fetches the asset as pale paper. What stands beside it comes along.
export async function paper(url) {
  const { head, take } = await unpacked(url);
  const pos = new T.BufferAttribute(take(Float32Array, 3 * head.points), 3);
  const mesh = new T.BufferGeometry();
  mesh.setAttribute("position", pos);
  mesh.setIndex(new T.BufferAttribute(take(Uint32Array, 3 * head.triangles), 1));
  const solid = new T.Group();
  solid.add(new T.Mesh(mesh, new T.MeshLambertMaterial({ color: SHADE, flatShading: true, side: T.DoubleSide, ...behind })));
  const lines = new T.BufferGeometry();
  lines.setAttribute("position", pos);
  lines.setIndex(new T.BufferAttribute(take(Uint32Array, 2 * head.edges), 1));
  const edges = new T.LineSegments(lines, new T.LineBasicMaterial({ color: INK }));
  edges.userData.crease = true;
  solid.add(edges);
  const all = take(Float32Array, 6 * head.things.reduce((n, t) => n + t.lines, 0));
  if (head.flaws) {
    const wrong = new T.BufferGeometry();
    wrong.setAttribute("position", new T.BufferAttribute(take(Float32Array, 6 * head.flaws), 3));
    solid.add(new T.LineSegments(wrong, new T.LineBasicMaterial({ color: head.shapes ? DIMENSION : MUST, depthTest: false })));
  }
  // Where the mesh sticks out of its shapes, and where these fill air.
  for (const [i, color] of [MUST, LOOK].entries()) {
    if (!head.patches[i]) continue;
    const part = new T.BufferGeometry();
    part.setAttribute("position", new T.BufferAttribute(take(Float32Array, 9 * head.patches[i]), 3));
    part.computeVertexNormals();
    solid.add(new T.Mesh(part, new T.MeshLambertMaterial({ color, side: T.DoubleSide, transparent: true, opacity: i ? 0.35 : 0.8,
      depthWrite: false, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2 })));
  }
  return { head, solid, thingLines: all };
}

const wraps = { repeat: T.RepeatWrapping, mirror: T.MirroredRepeatWrapping, clamp: T.ClampToEdgeWrapping };

// surface makes a material of what the server says of one. loaded is called when its picture is
// there.
function surface(paint, pictures, loaded) {
  const { color: [r, g, b, a], glow, alpha } = paint;
  const m = new T.MeshLambertMaterial({ vertexColors: true, side: paint.twoSided ? T.DoubleSide : T.FrontSide });
  m.color = new T.Color(r, g, b);
  m.emissive = new T.Color(...glow);
  if (alpha === "MASK") m.alphaTest = paint.cutoff;
  if (alpha === "BLEND") Object.assign(m, { transparent: true, opacity: a, depthWrite: false });
  if (paint.picture >= 0 || paint.picture === CHECKER) {
    m.map = new T.TextureLoader().load(paint.picture === CHECKER ? "/static/checker.png" : pictures(paint.picture), loaded);
    m.map.colorSpace = T.SRGBColorSpace;
    m.map.wrapS = wraps[paint.wrapU] ?? T.RepeatWrapping;
    m.map.wrapT = wraps[paint.wrapV] ?? T.RepeatWrapping;
    m.map.anisotropy = 4;
  }
  if (paint.unlit) Object.assign(m, { emissive: m.color, emissiveMap: m.map ?? null, color: new T.Color(0, 0, 0) });
  return m;
}

// painted fetches the asset with its materials; pictures gives the address of one.
export async function painted(url, pictures, loaded) {
  const { head, take } = await unpacked(url);
  const mesh = new T.BufferGeometry();
  mesh.setAttribute("position", new T.BufferAttribute(take(Float32Array, 3 * head.vertices), 3));
  mesh.setAttribute("normal", new T.BufferAttribute(take(Int8Array, 4 * head.vertices), 4, true));
  mesh.setAttribute("uv", new T.BufferAttribute(take(Float32Array, 2 * head.vertices), 2));
  mesh.setAttribute("color", new T.BufferAttribute(take(Uint8Array, 4 * head.vertices), 4, true));
  mesh.setIndex(new T.BufferAttribute(take(Uint32Array, 3 * head.triangles), 1));
  head.paints.forEach((p, i) => mesh.addGroup(3 * p.first, 3 * p.count, i));
  return new T.Mesh(mesh, head.paints.map((p) => surface(p, pictures, loaded)));
}

// gone frees what an object holds in the graphics memory.
export function gone(object) {
  object?.traverse((o) => {
    o.geometry?.dispose();
    for (const m of [o.material ?? []].flat()) { m.map?.dispose(); m.dispose(); }
  });
}
