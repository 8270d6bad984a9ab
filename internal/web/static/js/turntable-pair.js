// The asset as it came, beside the asset as it leaves, so that both are turned together.
import * as T from "../vendor/three-0.187.0.min.js";
import { paper } from "./turntable-mesh.js";

// pair puts what came to the right of what leaves, whose box is given, on the same ground. What is more than six times
// larger or smaller is shown as large as what leaves, and its name says so.
export async function pair(url, { stage, box, ground, name }) {
  const { head, solid } = await paper(url);
  const came = new T.Box3(new T.Vector3(...head.min), new T.Vector3(...head.max));
  if (!head.points) return;
  const own = box.getSize(new T.Vector3()), its = came.getSize(new T.Vector3());
  const times = Math.max(...own.toArray()) / Math.max(...its.toArray(), 1e-9);
  const scale = times > 6 || times < 1 / 6 ? times : 1;
  solid.scale.setScalar(scale);
  const gap = 0.35 * Math.max(...own.toArray(), 1e-6);
  solid.position.set(box.max.x + gap - scale * came.min.x, ground - scale * came.min.y,
    box.getCenter(new T.Vector3()).z - scale * came.getCenter(new T.Vector3()).z);
  stage.add(solid);
  const over = new T.Vector3(box.max.x + gap + (scale * its.x) / 2, ground + scale * its.y, solid.position.z);
  name(scale === 1 ? "as it came" : `as it came, drawn × ${Number(scale.toPrecision(2))}`, over, "pair");
  name("as it leaves", new T.Vector3(box.getCenter(new T.Vector3()).x, box.max.y, box.max.z), "pair");
  return solid;
}
