// The distance slider of the turntable: it walks away from the asset, which changes to the LOD that
// stands there, at the size it has on the receiver's screen or as large as before.
import { gone, painted, paper } from "./turntable-mesh.js";

// walk ties the slider to a turntable: stage adds and removes what is shown, zoom sets how far off
// the camera is so that a length has a share of the canvas's height.
export function walk(box, distances, { url, pictures, stage, own, zoom, ask }) {
  const slider = box.querySelector("#distance");
  const say = box.querySelector("output");
  const size = box.querySelector("#truesize");
  const span = Math.log(distances.far / distances.near);
  const meshes = new Map();
  let look = "paper", stopped = false, shown = 0, moved = false;

  const at = () => distances.near * Math.exp((Number(slider.value) / 1000) * span);
  const level = (d) => {
    if (distances.gone && d >= distances.gone) return -1;
    return distances.from?.filter((f) => d >= f).length ?? 0;
  };
  const fetched = (n) => {
    const key = `${n} ${look}`;
    if (!meshes.has(key)) {
      const of = look === "paper" ? paper(`${url}&lod=${n}`).then((p) => p.solid)
        : painted(`${url}&lod=${n}&look=${look}`, pictures, ask);
      meshes.set(key, of);
      of.catch(() => meshes.delete(key));
    }
    return meshes.get(key);
  };
  const show = async () => {
    const d = at(), n = level(d);
    const metres = d < 10 ? d.toFixed(2) : d.toFixed(d < 100 ? 1 : 0);
    say.textContent = n < 0 ? `${metres} m · not drawn` : `${metres} m · LOD ${n}`;
    slider.setAttribute("aria-valuetext", say.textContent);
    shown = n;
    let mesh;
    if (n > 0) {
      try { mesh = await fetched(n); } catch (err) { say.textContent = err.message; return; }
      if (stopped) return gone(mesh);
      if (shown !== n) return; // walked on meanwhile
      if (!mesh.parent) stage.add(mesh);
    }
    for (const coming of meshes.values()) coming.then((m) => { m.visible = m === mesh; ask(); }).catch(() => {});
    own(n === 0);
    box.dataset.lod = String(n);
    if (moved && size.getAttribute("aria-pressed") === "true") zoom(d);
    ask();
  };
  const press = () => {
    size.setAttribute("aria-pressed", String(size.getAttribute("aria-pressed") !== "true"));
    moved = true;
    if (size.getAttribute("aria-pressed") !== "true") zoom(0);
    show();
  };
  const input = () => { moved = true; show(); };
  slider.addEventListener("input", input);
  size.addEventListener("click", press);
  show();
  return {
    look(which) { look = which; return show(); },
    stop() {
      stopped = true;
      slider.removeEventListener("input", input);
      size.removeEventListener("click", press);
      for (const coming of meshes.values()) coming.then(gone).catch(() => {});
    },
  };
}
