// Puts dots in the order of their depth, the farthest first, beside the page: a counting sort by
// 65 536 steps along a direction. It is told all places once, then a direction each time.

const STEPS = 65536;
let places, span, n;

// order gives the numbers of the dots, the farthest along a direction first.
export function order(places, span, n, along) {
  const key = new Uint16Array(n), starts = new Uint32Array(STEPS + 1), list = new Uint32Array(n);
  const [x, y, z] = along.map((v, k) => v * span[k]);
  let least = 0, most = 0; // of the corners of the box
  for (const v of [x, y, z]) { least += Math.min(0, v); most += Math.max(0, v); }
  const k = (STEPS - 1) / Math.max(65535 * (most - least), 1e-30);
  for (let i = 0; i < n; i++) {
    const d = x * places[4 * i] + y * places[4 * i + 1] + z * places[4 * i + 2];
    key[i] = STEPS - 1 - (d - 65535 * least) * k;
    starts[key[i] + 1]++;
  }
  for (let s = 0; s < STEPS; s++) starts[s + 1] += starts[s];
  for (let i = 0; i < n; i++) list[starts[key[i]]++] = i;
  return list;
}

if (typeof WorkerGlobalScope !== "undefined") {
  self.onmessage = ({ data }) => {
    if (data.places) { ({ places, span } = data); n = places.length / 4; return; }
    const began = performance.now(), list = order(places, span, n, data.along);
    self.postMessage({ list, took: performance.now() - began }, [list.buffer]);
  };
}
