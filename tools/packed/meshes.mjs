// Writes core/format/draco/testdata/meshes.json: compressed meshes made by an independent
// encoder, each with the digest of what its own decoder gives: corners as 32-bit numbers,
// then every layer's values of every point as 32-bit floats, in the order of the layers.
import draco3d from "draco3d";
import { createHash } from "node:crypto";
import { writeFileSync } from "node:fs";

const E = await draco3d.createEncoderModule({});
const D = await draco3d.createDecoderModule({});
let seed = 7;
const random = () => ((seed = (seed * 1103515245 + 12345) & 0x7fffffff), seed / 0x7fffffff);

// A shape is {faces, position, normal?, uv?, colour?} with a value of each for every point.
function sheet(n, m, at, wrapX, wrapY) {
	const s = { faces: [], position: [], normal: [], uv: [] };
	for (let y = 0; y <= m; y++)
		for (let x = 0; x <= n; x++) {
			const [p, q] = at(x / n, y / m);
			s.position.push(...p);
			s.normal.push(...q);
			s.uv.push(x / n, y / m);
		}
	for (let y = 0; y < m; y++)
		for (let x = 0; x < n; x++) {
			const a = y * (n + 1) + x;
			s.faces.push(a, a + 1, a + n + 1, a + n + 1, a + 1, a + n + 2);
		}
	return s;
}
const torus = (n) => sheet(n, n, (u, v) => {
	// The same numbers at both ends, so that the surface is closed and its UVs have a seam.
	const a = 2 * Math.PI * (u % 1), b = 2 * Math.PI * (v % 1), r = 3 + Math.cos(b);
	return [[r * Math.cos(a), r * Math.sin(a), Math.sin(b)], [Math.cos(b) * Math.cos(a), Math.cos(b) * Math.sin(a), Math.sin(b)]];
});
const hill = (n) => sheet(n, n, (u, v) => {
	const z = 0.3 * Math.sin(5 * u) * Math.cos(4 * v), l = Math.hypot(1, z);
	return [[u, v, z], [0, z / l, 1 / l]];
});
function box() {
	const s = { faces: [], position: [], normal: [], uv: [] };
	for (let axis = 0; axis < 3; axis++)
		for (const side of [-1, 1]) {
			const at = s.position.length / 3;
			for (const [a, b] of [[-1, -1], [1, -1], [1, 1], [-1, 1]]) {
				const p = [0, 0, 0], n = [0, 0, 0];
				p[axis] = side, p[(axis + 1) % 3] = a * side, p[(axis + 2) % 3] = b;
				n[axis] = side;
				s.position.push(...p), s.normal.push(...n), s.uv.push((a + 1) / 2, (b + 1) / 2);
			}
			s.faces.push(at, at + 1, at + 2, at, at + 2, at + 3);
		}
	return s;
}
function join(...shapes) {
	const s = { faces: [], position: [], normal: [], uv: [] };
	shapes.forEach((o, i) => {
		const at = s.position.length / 3;
		s.faces.push(...o.faces.map((c) => c + at));
		s.position.push(...o.position.map((v, k) => v + (k % 3 == 0 ? 9 * i : 0)));
		s.normal.push(...o.normal), s.uv.push(...o.uv);
	});
	return s;
}
function holed(s, keep) {
	const faces = [];
	for (let i = 0; i < s.faces.length; i += 3) if (keep(i / 3)) faces.push(...s.faces.slice(i, i + 3));
	return { ...s, faces };
}
function bowtie() { // three faces on an edge, two fans at one point
	return { faces: [0, 1, 2, 1, 0, 3, 0, 1, 4, 2, 5, 6], position: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0, 1, -1, 2, 0, 1, 2, 0],
		normal: Array(21).fill(0).map((_, i) => i % 3 == 2 ? 1 : 0), uv: Array(14).fill(0).map((_, i) => i / 14) };
}
function coloured(s) {
	return { ...s, colour: s.position.flatMap((_, i) => i % 3 ? [] : [i * 7 % 256, i * 3 % 256, 255 - i % 256, 255]) };
}
const shapes = { torus: torus(14), hill: hill(13), box: box(), pieces: join(torus(8), box(), hill(6)), bowtie: bowtie(),
	holes: holed(hill(16), (f) => f % 37 > 3), ragged: holed(torus(16), () => random() > 0.2), coloured: coloured(torus(9)),
	one: { faces: [0, 1, 2], position: [0, 0, 0, 1, 0, 0, 0, 1, 0], normal: [0, 0, 1, 0, 0, 1, 0, 0, 1], uv: [0, 0, 1, 0, 0, 1] } };
// Above a thousand faces the encoder foretells symbols by valence, below three layers of speed.
const large = { "large torus": torus(26), "large and ragged": join(holed(torus(30), () => random() > 0.1), hill(16)) };
for (const at of [2, 3]) shapes["flat on axis " + at] = { ...hill(5), normal: Array(108).fill(0).map((_, i) => i % 3 == at - 1 ? -1 : 0) };

function encode(s, method, speed, bits, layers) {
	const mesh = new E.Mesh(), b = new E.MeshBuilder(), enc = new E.Encoder(), points = s.position.length / 3;
	b.AddFacesToMesh(mesh, s.faces.length / 3, new Uint32Array(s.faces));
	b.AddFloatAttributeToMesh(mesh, E.POSITION, points, 3, new Float32Array(s.position));
	if (layers.includes("n")) b.AddFloatAttributeToMesh(mesh, E.NORMAL, points, 3, new Float32Array(s.normal));
	if (layers.includes("u")) b.AddFloatAttributeToMesh(mesh, E.TEX_COORD, points, 2, new Float32Array(s.uv));
	if (s.colour) b.AddUInt8Attribute(mesh, E.COLOR, points, 4, new Uint8Array(s.colour));
	enc.SetEncodingMethod(method);
	enc.SetSpeedOptions(speed, speed);
	if (bits) for (const [k, n] of [[E.POSITION, bits], [E.NORMAL, Math.max(3, bits - 4)], [E.TEX_COORD, bits - 2]]) enc.SetAttributeQuantization(k, n);
	const out = new E.DracoInt8Array(), n = enc.EncodeMeshToDracoBuffer(mesh, out);
	if (n <= 0) throw new Error("not encoded");
	const data = new Uint8Array(n);
	for (let i = 0; i < n; i++) data[i] = out.GetValue(i);
	return data;
}
function decode(data) {
	const buffer = new D.DecoderBuffer(), dec = new D.Decoder(), mesh = new D.Mesh();
	buffer.Init(data, data.length);
	const status = dec.DecodeBufferToMesh(buffer, mesh);
	if (!status.ok()) throw new Error(status.error_msg());
	const h = createHash("sha256"), face = new D.DracoInt32Array(), corners = new Uint32Array(3 * mesh.num_faces());
	for (let f = 0; f < mesh.num_faces(); f++) {
		dec.GetFaceFromMesh(mesh, f, face);
		for (let k = 0; k < 3; k++) corners[3 * f + k] = face.GetValue(k);
	}
	h.update(new Uint8Array(corners.buffer));
	for (let i = 0; i < mesh.num_attributes(); i++) {
		const a = dec.GetAttribute(mesh, i), v = new D.DracoFloat32Array();
		dec.GetAttributeFloatForAllPoints(mesh, a, v);
		const out = new Float32Array(v.size());
		for (let k = 0; k < out.length; k++) out[k] = a.normalized() ? Math.round(v.GetValue(k) * 255) : v.GetValue(k);
		h.update(new Uint8Array(out.buffer));
	}
	return { points: mesh.num_points(), faces: mesh.num_faces(), layers: mesh.num_attributes(), sha256: h.digest("hex") };
}
const out = [];
for (const [name, s] of [...Object.entries(shapes), ...Object.entries(large)])
	for (const [how, method] of [["edges", E.MESH_EDGEBREAKER_ENCODING], ["list", E.MESH_SEQUENTIAL_ENCODING]])
		for (const speed of [0, 1, 3, 5, 7, 10])
			for (const layers of ["", "n", "u", "nu"]) {
				const bits = layers == "n" && speed == 3 ? 0 : layers == "nu" && speed == 5 ? 16 : 11;
				if (how == "list" && (speed == 1 || speed == 7 || layers == "n")) continue;
				if (name in large && (how == "list" || speed > 3 || layers.length == 1)) continue;
				const data = encode(s, method, speed, bits, layers);
				out.push({ name: `${name}, ${how}, speed ${speed}, layers p${layers}, ${bits} bits`, data: Buffer.from(data).toString("base64"), ...decode(data) });
			}
writeFileSync(process.argv[2], "[\n" + out.map((o) => JSON.stringify(o)).join(",\n") + "\n]\n");
