// Writes a hill of a million triangles into a folder: as OBJ, as a GLB compressed whole and
// as a GLB of compressed views, for the benchmark of reading (BenchmarkCompressed). Too
// large to be kept.
import draco3d from "draco3d";
import { MeshoptEncoder as M } from "meshoptimizer";
import { writeFileSync } from "node:fs";

const E = await draco3d.createEncoderModule({});
await M.ready;
const n = 710, folder = process.argv[2], position = [], normal = [], uv = [], faces = [];
for (let y = 0; y <= n; y++)
	for (let x = 0; x <= n; x++) {
		const u = x / n, v = y / n, z = 0.3 * Math.sin(25 * u) * Math.cos(19 * v) + 0.002 * Math.sin(900 * u * v), l = Math.hypot(1, z, 0.2);
		position.push(u, v, z), normal.push(0.2 / l, z / l, 1 / l), uv.push(u, v);
	}
for (let y = 0; y < n; y++)
	for (let x = 0; x < n; x++) {
		const a = y * (n + 1) + x;
		faces.push(a, a + 1, a + n + 1, a + n + 1, a + 1, a + n + 2);
	}
const points = position.length / 3;

const lines = ["o hill"];
for (let i = 0; i < points; i++) lines.push(`v ${position.slice(3 * i, 3 * i + 3).map((x) => x.toFixed(6)).join(" ")}`);
for (let i = 0; i < points; i++) lines.push(`vt ${uv[2 * i].toFixed(6)} ${uv[2 * i + 1].toFixed(6)}`);
for (let i = 0; i < points; i++) lines.push(`vn ${normal.slice(3 * i, 3 * i + 3).map((x) => x.toFixed(5)).join(" ")}`);
for (let i = 0; i < faces.length; i += 3) lines.push("f " + [0, 1, 2].map((k) => Array(3).fill(faces[i + k] + 1).join("/")).join(" "));
writeFileSync(folder + "/hill.obj", lines.join("\n") + "\n");

function glb(path, doc, parts) {
	const bin = Buffer.concat(parts.map((p) => Buffer.concat([Buffer.from(p), Buffer.alloc((4 - (p.length % 4)) % 4)])));
	doc.asset = { version: "2.0" };
	doc.scene = 0, doc.scenes = [{ nodes: [0] }], doc.nodes = [{ mesh: 0 }];
	doc.buffers = [{ byteLength: bin.length }, ...(doc.buffers ?? [])];
	let json = JSON.stringify(doc);
	json += " ".repeat((4 - (json.length % 4)) % 4);
	const head = Buffer.alloc(20), chunk = Buffer.alloc(8);
	head.write("glTF"), head.writeUInt32LE(2, 4), head.writeUInt32LE(28 + json.length + bin.length, 8);
	head.writeUInt32LE(json.length, 12), head.write("JSON", 16);
	chunk.writeUInt32LE(bin.length, 0), chunk.write("BIN\0", 4);
	writeFileSync(path, Buffer.concat([head, Buffer.from(json), chunk, bin]));
}
const accessors = [["VEC3", points], ["VEC3", points], ["VEC2", points], ["SCALAR", faces.length]].map(([type, count], i) =>
	({ type, count, componentType: i == 3 ? 5125 : 5126 }));
for (const speed of [0, 5]) {
	const mesh = new E.Mesh(), b = new E.MeshBuilder(), enc = new E.Encoder(), out = new E.DracoInt8Array();
	b.AddFacesToMesh(mesh, faces.length / 3, new Uint32Array(faces));
	const ids = [b.AddFloatAttributeToMesh(mesh, E.POSITION, points, 3, new Float32Array(position)),
		b.AddFloatAttributeToMesh(mesh, E.NORMAL, points, 3, new Float32Array(normal)),
		b.AddFloatAttributeToMesh(mesh, E.TEX_COORD, points, 2, new Float32Array(uv))];
	enc.SetEncodingMethod(E.MESH_EDGEBREAKER_ENCODING);
	enc.SetSpeedOptions(speed, speed);
	for (const [k, bits] of [[E.POSITION, 14], [E.NORMAL, 10], [E.TEX_COORD, 12]]) enc.SetAttributeQuantization(k, bits);
	const size = enc.EncodeMeshToDracoBuffer(mesh, out), data = new Uint8Array(size);
	for (let i = 0; i < size; i++) data[i] = out.GetValue(i);
	const extension = { bufferView: 0, attributes: { POSITION: ids[0], NORMAL: ids[1], TEXCOORD_0: ids[2] } };
	glb(`${folder}/whole${speed}.glb`, { extensionsUsed: ["KHR_draco_mesh_compression"], extensionsRequired: ["KHR_draco_mesh_compression"], accessors,
		bufferViews: [{ buffer: 0, byteLength: size }],
		meshes: [{ primitives: [{ attributes: { POSITION: 0, NORMAL: 1, TEXCOORD_0: 2 }, indices: 3, extensions: { KHR_draco_mesh_compression: extension } }] }] }, [data]);
}
const views = [], parts = [];
let at = 0;
function view(data, mode, count, stride, filter) {
	views.push({ buffer: 1, byteLength: count * stride, ...(mode == "ATTRIBUTES" ? { byteStride: stride } : {}),
		extensions: { EXT_meshopt_compression: { buffer: 0, byteOffset: at, byteLength: data.length, byteStride: stride, count, mode, ...(filter ? { filter } : {}) } } });
	parts.push(data);
	at += data.length + ((4 - (data.length % 4)) % 4);
}
const four = (a) => { const f = new Float32Array(4 * points); for (let i = 0; i < points; i++) f.set(a.slice(3 * i, 3 * i + 3), 4 * i); return f; };
const words = new Uint16Array(4 * points), texture = new Uint16Array(2 * points);
for (let i = 0; i < points; i++) {
	for (let k = 0; k < 3; k++) words[4 * i + k] = Math.round((position[3 * i + k] + 1) * 16383);
	for (let k = 0; k < 2; k++) texture[2 * i + k] = Math.round(uv[2 * i + k] * 4095);
}
view(M.encodeVertexBufferLevel(new Uint8Array(words.buffer), points, 8, 2, 0), "ATTRIBUTES", points, 8);
view(M.encodeVertexBufferLevel(M.encodeFilterOct(four(normal), points, 4, 8), points, 4, 2, 0), "ATTRIBUTES", points, 4, "OCTAHEDRAL");
view(M.encodeVertexBufferLevel(new Uint8Array(texture.buffer), points, 4, 2, 0), "ATTRIBUTES", points, 4);
view(M.encodeIndexBuffer(new Uint8Array(new Uint32Array(faces).buffer), faces.length, 4), "TRIANGLES", faces.length, 4);
const types = [5123, 5120, 5123, 5125];
glb(folder + "/views.glb", { extensionsUsed: ["EXT_meshopt_compression", "KHR_mesh_quantization"],
	extensionsRequired: ["EXT_meshopt_compression", "KHR_mesh_quantization"], bufferViews: views,
	buffers: [{ byteLength: views.reduce((n, v) => n + v.byteLength, 0), extensions: { EXT_meshopt_compression: { fallback: true } } }],
	accessors: accessors.map((a, i) => ({ ...a, bufferView: i, componentType: types[i], ...(i == 1 ? { normalized: true } : {}) })),
	meshes: [{ primitives: [{ attributes: { POSITION: 0, NORMAL: 1, TEXCOORD_0: 2 }, indices: 3 }] }] }, parts);
