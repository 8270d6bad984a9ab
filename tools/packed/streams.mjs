// Writes core/format/meshopt/testdata/streams.json: compressed streams made by an
// independent encoder, each with the digest of what its own decoder gives.
import { MeshoptEncoder as E } from "meshoptimizer";
import { MeshoptDecoder as D } from "meshoptimizer";
import { createHash } from "node:crypto";
import { writeFileSync } from "node:fs";

await E.ready;
await D.ready;
let seed = 7;
const random = () => ((seed = (seed * 1103515245 + 12345) & 0x7fffffff), seed / 0x7fffffff);

const out = [];
function keep(name, data, mode, filter, count, stride) {
	const want = new Uint8Array(count * stride);
	D.decodeGltfBuffer(want, count, stride, data, mode, filter);
	out.push({ name, mode, filter, count, stride, data: Buffer.from(data).toString("base64"),
		sha256: createHash("sha256").update(want).digest("hex") });
}

// Elements that change slowly, wildly, and not at all, byte by byte.
function elements(count, stride) {
	const b = new Uint8Array(count * stride);
	for (let i = 0; i < count; i++)
		for (let k = 0; k < stride; k++)
			b[i * stride + k] = k % 4 == 0 ? i + k : k % 4 == 1 ? random() * 256 : k % 4 == 2 ? Math.sin(i / 9) * 5 + (i % 50 == 0 ? 90 : 0) : 7;
	return b;
}
for (const [count, stride] of [[1, 4], [15, 8], [16, 12], [17, 16], [255, 4], [256, 12], [257, 20], [700, 16], [90, 256]])
	for (const version of [0, 1])
		for (const level of [0, 2, 3])
			keep(`attributes ${count}x${stride} v${version} level ${level}`, E.encodeVertexBufferLevel(elements(count, stride), count, stride, level, version),
				"ATTRIBUTES", "NONE", count, stride);
// Floats and words, for which version 1 keeps pairs and fours of bytes together.
{
	const f = new Float32Array(3 * 600), w = new Uint16Array(4 * 600);
	for (let i = 0; i < f.length; i++) f[i] = Math.sin(i / 40) * 3;
	for (let i = 0; i < w.length; i++) w[i] = 30000 + 20000 * Math.sin(i / 90);
	for (const version of [0, 1])
		for (const level of [2, 3]) {
			keep(`floats v${version} level ${level}`, E.encodeVertexBufferLevel(new Uint8Array(f.buffer), 600, 12, level, version), "ATTRIBUTES", "NONE", 600, 12);
			keep(`words v${version} level ${level}`, E.encodeVertexBufferLevel(new Uint8Array(w.buffer), 600, 8, level, version), "ATTRIBUTES", "NONE", 600, 8);
		}
}

// A grid in order, in strips, and in disorder; far indices; two meshes in one.
function grid(n, at) {
	const t = [];
	for (let y = 0; y < n; y++)
		for (let x = 0; x < n; x++) {
			const a = at + y * (n + 1) + x;
			t.push(a, a + 1, a + n + 1, a + n + 1, a + 1, a + n + 2);
		}
	return t;
}
const shuffled = (t) => {
	const faces = [];
	for (let i = 0; i < t.length; i += 3) faces.push(t.slice(i, i + 3));
	for (let i = faces.length - 1; i > 0; i--) {
		const j = Math.floor(random() * (i + 1));
		[faces[i], faces[j]] = [faces[j], faces[i]];
	}
	return faces.flat();
};
const lists = { grid: grid(12, 0), disorder: shuffled(grid(12, 0)), far: grid(5, 100000), two: [...grid(5, 0), ...grid(5, 0), ...grid(3, 900)],
	fan: Array.from({ length: 60 }, (_, i) => [0, i + 1, i + 2]).flat() };
const optimised = new Uint32Array(grid(20, 0));
const [remap] = E.reorderMesh(optimised, true, true);
lists.optimised = [...optimised];
for (const [name, list] of Object.entries(lists)) {
	const idx = new Uint32Array(list);
	keep(`triangles ${name}`, E.encodeIndexBuffer(new Uint8Array(idx.buffer), idx.length, 4), "TRIANGLES", "NONE", idx.length, 4);
	keep(`indices ${name}`, E.encodeIndexSequence(new Uint8Array(idx.buffer), idx.length, 4), "INDICES", "NONE", idx.length, 4);
	if (name != "far") {
		const short = new Uint16Array(list);
		keep(`triangles ${name}, short`, E.encodeIndexBuffer(new Uint8Array(short.buffer), short.length, 2), "TRIANGLES", "NONE", short.length, 2);
	}
}

// Filters.
const n = 120, unit = new Float32Array(4 * n), any = new Float32Array(3 * n), colours = new Float32Array(4 * n);
for (let i = 0; i < n; i++) {
	const v = [random() - 0.5, random() - 0.5, random() - 0.5, random() - 0.5];
	if (i < 6) v.fill(0), (v[i % 3] = i < 3 ? 1 : -1);
	const l = Math.hypot(v[0], v[1], v[2], v[3]);
	v.forEach((x, k) => (unit[4 * i + k] = x / l));
	any.set([random() * 1e-3, -random() * 5e4, i % 7 == 0 ? 0 : random()], 3 * i);
	colours.set([random(), random(), i % 3 / 2, i % 5 / 4], 4 * i);
}
const normals = new Float32Array(4 * n);
for (let i = 0; i < n; i++) {
	const l = Math.hypot(unit[4 * i], unit[4 * i + 1], unit[4 * i + 2]) || 1;
	for (let k = 0; k < 3; k++) normals[4 * i + k] = unit[4 * i + k] / l;
	normals[4 * i + 3] = i % 2 ? 1 : -1;
}
const filtered = (name, filter, bytes, stride) =>
	keep(name, E.encodeVertexBufferLevel(bytes, n, stride, 2, 0), "ATTRIBUTES", filter, n, stride);
filtered("octahedral 8 bits", "OCTAHEDRAL", E.encodeFilterOct(normals, n, 4, 8), 4);
filtered("octahedral 10 of 16 bits", "OCTAHEDRAL", E.encodeFilterOct(normals, n, 8, 10), 8);
filtered("octahedral 16 bits", "OCTAHEDRAL", E.encodeFilterOct(normals, n, 8, 16), 8);
filtered("quaternion 12 bits", "QUATERNION", E.encodeFilterQuat(unit, n, 8, 12), 8);
filtered("quaternion 16 bits", "QUATERNION", E.encodeFilterQuat(unit, n, 8, 16), 8);
for (const mode of ["Separate", "SharedVector", "SharedComponent"])
	filtered(`exponential ${mode}`, "EXPONENTIAL", E.encodeFilterExp(any, n, 12, 15, mode), 12);
filtered("colour 8 bits", "COLOR", E.encodeFilterColor(colours, n, 4, 8), 4);
filtered("colour 12 of 16 bits", "COLOR", E.encodeFilterColor(colours, n, 8, 12), 8);
writeFileSync(process.argv[2], "[\n" + out.map((o) => JSON.stringify(o)).join(",\n") + "\n]\n");
