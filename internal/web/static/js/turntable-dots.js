// Points without faces: in their colours, each a disc with a soft edge. Those that have a size of
// their own are as large as it, fade as a bell does, and are drawn in the order of their depth.
import * as T from "../vendor/three-0.187.0.min.js";

const PLAIN = 4; // pixels of a point without a size
const LARGE = 512; // pixels of the largest disc
const TURNED = Math.cos((2 * Math.PI) / 180); // a turn of the eye from which on they are put in order again

const vertex = `
attribute vec4 place;
attribute vec4 tone;
uniform vec3 lo, span;
uniform float largest, tall, plain;
varying vec4 paint;
void main() {
  vec4 seen = modelViewMatrix * vec4(lo + span * place.xyz, 1.0);
  gl_Position = projectionMatrix * seen;
  float wide = 6.0 * largest * place.w; // three deviations to either side
  gl_PointSize = largest > 0.0 ? clamp(wide * projectionMatrix[1][1] * tall / (-2.0 * seen.z), 1.5, ${LARGE}.0) : plain;
  paint = tone;
}`;
const fragment = `
uniform float largest;
varying vec4 paint;
void main() {
  vec2 d = 2.0 * gl_PointCoord - 1.0;
  float r = dot(d, d);
  if (r > (largest > 0.0 ? 1.0 : 0.7)) discard;
  gl_FragColor = vec4(paint.rgb, largest > 0.0 ? paint.a * exp(-4.5 * r) : 1.0);
}`;

// stippled is the dots of a packed answer. Its userData.face is told of each frame, and again is called when it is to
// be drawn once more; userData.stop ends what works beside the page.
export function stippled(head, places, tones, again) {
  const n = head.dots, blobs = head.largest > 0;
  const span = head.max.map((v, k) => v - head.min[k]);
  const dots = new T.BufferGeometry();
  dots.setAttribute("place", new T.BufferAttribute(places, 4, true));
  dots.setAttribute("tone", new T.BufferAttribute(tones, 4, true));
  const order = new T.BufferAttribute(Uint32Array.from({ length: n }, (_, i) => i), 1);
  dots.setIndex(order);
  const uniforms = { lo: { value: new T.Vector3(...head.min) }, span: { value: new T.Vector3(...span) },
    largest: { value: head.largest }, tall: { value: 1 }, plain: { value: PLAIN } };
  const points = new T.Points(dots, new T.ShaderMaterial({ uniforms, vertexShader: vertex, fragmentShader: fragment,
    transparent: blobs, depthWrite: !blobs, blending: T.NormalBlending }));
  points.frustumCulled = false;
  const worker = blobs ? new Worker(new URL("./turntable-sort.js", import.meta.url), { type: "module" }) : undefined;
  let busy = false, along = new T.Vector3(), next = new T.Vector3();
  worker?.postMessage({ places: places.slice(), span });
  if (worker) worker.onmessage = ({ data }) => {
    busy = false;
    order.array.set(data.list);
    order.needsUpdate = true;
    points.userData.took = data.took; // milliseconds, for who measures
    again();
  };
  points.userData.face = (camera, gl) => {
    uniforms.tall.value = gl.domElement.height;
    uniforms.plain.value = PLAIN * gl.getPixelRatio();
    camera.getWorldDirection(next);
    if (!worker || busy || next.dot(along) > TURNED) return;
    busy = true;
    along.copy(next);
    worker.postMessage({ along: along.toArray() });
  };
  points.userData.stop = () => worker?.terminate();
  return points;
}
