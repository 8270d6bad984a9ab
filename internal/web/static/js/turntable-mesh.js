// The asset on the turntable: as pale paper with feature edges in ink, or with its
// materials. The server says what is in a packed answer by a header before it.
import * as T from "../vendor/three-0.187.0.min.js";
import { stippled } from "./turntable-dots.js";

const INK = 0x16232b, SHADE = 0xdfe5e1, MUST = 0xc2391a, DIMENSION = 0x1f4fbf, LOOK = 0xa87400;
const TONES = [0xf6f8f5, 0xdfe5e1, 0xc9d4ce, 0xeceee6, 0xd3dbd6];
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

// paper fetches the asset as pale paper. What stands beside it comes along. again is called when it is to be drawn once
// more.
export async function paper(url, again = () => {}) {
  const { head, take } = await unpacked(url);
  const pos = new T.BufferAttribute(take(Float32Array, 3 * head.points), 3);
  const mesh = new T.BufferGeometry();
  mesh.setAttribute("position", pos);
  mesh.setIndex(new T.BufferAttribute(take(Uint32Array, 3 * head.triangles), 1));
  const solid = new T.Group();
  solid.add(new T.Mesh(mesh, new T.MeshLambertMaterial({ color: SHADE, flatShading: true, side: T.DoubleSide,
    ...behind })));
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
    solid.add(new T.LineSegments(wrong, new T.LineBasicMaterial({ color: MUST, depthTest: false })));
  }
  // Shapes are faces, each in a tone of its own, with the edges that show.
  const shapes = head.solids.map((s, i) => shape(s, TONES[i % TONES.length], take));
  for (const s of shapes) solid.add(s);
  // Where the mesh sticks out of its shapes, and where these fill air.
  for (const [i, color] of [MUST, LOOK].entries()) {
    if (!head.patches[i]) continue;
    const part = new T.BufferGeometry();
    part.setAttribute("position", new T.BufferAttribute(take(Float32Array, 9 * head.patches[i]), 3));
    part.computeVertexNormals();
    solid.add(new T.Mesh(part, new T.MeshLambertMaterial({ color, side: T.DoubleSide, transparent: true, opacity: i
      ? 0.35 : 0.8,
      depthWrite: false, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2 })));
  }
  if (head.dots) solid.add(stippled(head, take(Uint16Array, 4 * head.dots), take(Uint8Array, 4 * head.dots), again));
  return { head, solid, shapes, thingLines: all };
}

// shape is one that stands for the asset.
function shape({ id, letter, triangles, lines }, color, take) {
  const group = new T.Group();
  const face = new T.BufferGeometry();
  face.setAttribute("position", new T.BufferAttribute(take(Float32Array, 9 * triangles), 3));
  face.computeVertexNormals();
  const skin = new T.Mesh(face, new T.MeshLambertMaterial({ color, flatShading: true, side: T.DoubleSide,
    transparent: true, opacity: 0.45, depthWrite: false, ...behind }));
  const edge = new T.BufferGeometry();
  edge.setAttribute("position", new T.BufferAttribute(take(Float32Array, 6 * lines), 3));
  group.add(skin, new T.LineSegments(edge, new T.LineBasicMaterial({ color: DIMENSION })));
  group.userData = { id, letter, skin };
  return group;
}

const wraps = { repeat: T.RepeatWrapping, mirror: T.MirroredRepeatWrapping, clamp: T.ClampToEdgeWrapping };

// What pictures are for, and the channel each is read from.
const printed = { metallic: ["metalnessMap", 3], roughness: ["roughnessMap", 2], normal: ["normalMap", 0],
  occlusion: ["aoMap", 1], emissive: ["emissiveMap", 0], opacity: ["alphaMap", 2] };

// print fetches a picture of a material.
function print(url, paint, space, loaded) {
  const map = new T.TextureLoader().load(url, loaded);
  map.colorSpace = space;
  map.wrapS = wraps[paint.wrapU] ?? T.RepeatWrapping;
  map.wrapT = wraps[paint.wrapV] ?? T.RepeatWrapping;
  map.anisotropy = 4;
  return map;
}

// surface makes a material of what the server says of one. loaded is called when its picture is
// there.
function surface(paint, pictures, loaded) {
  const { color: [r, g, b, a], glow, alpha } = paint;
  const m = new T.MeshStandardMaterial({ vertexColors: true, side: paint.twoSided ? T.DoubleSide : T.FrontSide,
    metalness: paint.metallic, roughness: paint.roughness });
  m.name = paint.name;
  m.color = new T.Color(r, g, b);
  m.emissive = new T.Color(...glow);
  if (alpha === "MASK") m.alphaTest = paint.cutoff;
  if (alpha === "BLEND") Object.assign(m, { transparent: true, opacity: a, depthWrite: false });
  if (paint.picture >= 0 || paint.picture === CHECKER) {
    m.map = print(paint.picture === CHECKER ? "/static/checker.png" : pictures(paint.picture), paint, T.SRGBColorSpace,
      loaded);
  }
  for (const p of paint.prints ?? []) {
    const [slot, from] = printed[p.use] ?? [];
    if (!slot) continue;
    // Of a picture whose channels are not where they are looked for, one is fetched by itself.
    const own = from && p.channel && p.channel !== from ? `&channel=${p.channel}` : "";
    m[slot] = print(pictures(p.picture) + own, paint, p.use === "emissive" ? T.SRGBColorSpace : T.NoColorSpace, loaded);
  }
  if (m.normalMap) m.normalScale.set(Math.abs(paint.bumps), paint.bumps);
  if (m.aoMap) m.aoMapIntensity = paint.shade;
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

// tried puts a picture of the artist's own on slots, by name, all of them without any; nothing of the asset
// changes. Without a picture what was there comes back.
export function tried(mesh, url, names, drawn) {
  for (const m of [mesh.material].flat()) {
    if (names.length && !names.includes(m.name)) continue;
    if (m.userData.own === undefined) m.userData.own = m.map ?? null;
    m.map = url ? print(url, {}, T.SRGBColorSpace, drawn) : m.userData.own;
    m.needsUpdate = true;
  }
  drawn();
}

// sky lights materials, and is what metals mirror: grey ground, a bright horizon, a cool zenith and a soft sun. All
// of it is neutral on the whole, so that colours are judged as they are.
export function sky(gl) {
  const room = new T.Scene();
  const dome = new T.SphereGeometry(50, 48, 32);
  const tones = [[-1, [0.34, 0.33, 0.32]], [-0.04, [0.5, 0.49, 0.48]], [0.02, [1.15, 1.14, 1.12]],
    [0.35, [0.92, 0.95, 1.0]], [1, [0.62, 0.7, 0.82]]];
  const p = dome.attributes.position, colours = new Float32Array(3 * p.count);
  for (let i = 0; i < p.count; i++) {
    const h = p.getY(i) / 50, k = Math.max(1, tones.findIndex(([at]) => h <= at));
    const [[a, low], [b, high]] = [tones[k - 1], tones[k]], f = Math.min(1, Math.max(0, (h - a) / (b - a)));
    for (let c = 0; c < 3; c++) colours[3 * i + c] = low[c] + f * (high[c] - low[c]);
  }
  dome.setAttribute("color", new T.BufferAttribute(colours, 3));
  room.add(new T.Mesh(dome, new T.MeshBasicMaterial({ vertexColors: true, side: T.BackSide })));
  const sun = new T.Mesh(new T.CircleGeometry(7, 32), new T.MeshBasicMaterial({ side: T.DoubleSide }));
  sun.material.color.setRGB(14, 13.4, 12.6);
  sun.position.set(-20, 32, 26);
  sun.lookAt(0, 0, 0);
  room.add(sun);
  const baker = new T.PMREMGenerator(gl), { texture } = baker.fromScene(room, 0.02);
  baker.dispose();
  gone(room);
  return texture;
}

// ball is a neutral one to compare with.
export function ball(radius) {
  return new T.Mesh(new T.SphereGeometry(radius, 48, 24), new T.MeshStandardMaterial({ color: 0x9d9d9d,
    roughness: 0.5 }));
}

// gone frees what an object holds in the graphics memory.
export function gone(object) {
  object?.traverse((o) => {
    o.userData.stop?.();
    o.geometry?.dispose();
    for (const m of [o.material ?? []].flat()) {
      for (const v of Object.values(m)) if (v?.isTexture) v.dispose();
      m.dispose();
    }
  });
}
