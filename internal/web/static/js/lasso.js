// What is drawn round on a view: the path of a pointer, or corners by keyboard. The server says
// which view it is on, and where in metres.

const most = 400; // corners that are kept
const apart = 3; // paper's units from one to the next

// Path is one that is being drawn on a drawing.
export class Path {
  constructor(svg) { this.svg = svg; this.at = []; this.dragged = false; }

  // add takes a place, unless it is where the last one was; false then.
  add([x, y]) {
    const last = this.at.at(-1);
    if (last && Math.hypot(x - last[0], y - last[1]) < apart) return false;
    this.at.push([x, y]);
    return true;
  }

  draw(next) {
    this.svg.querySelectorAll(".area-box").forEach((e) => e.remove());
    const list = next ? [...this.at, next] : this.at;
    const line = list.map((p) => p.join(" ")).join("L");
    this.svg.insertAdjacentHTML("beforeend", `<path class="area-box" d="M${line}Z"/>`);
  }

  get closed() { return this.at.length > 2; }

  // thinned is no more of its corners than are kept.
  get thinned() {
    const step = Math.ceil(this.at.length / most);
    return this.at.filter((_, i) => i % step === 0).map((p) => p.map((v) => v.toFixed(2)).join(",")).join(";");
  }

  // crop asks the server what was drawn round.
  async crop(asset) {
    const res = await fetch(`/assets/${asset}/area?${new URLSearchParams({ round: this.thinned })}`);
    const got = await res.json();
    if (!res.ok) throw new Error(got.say);
    return got;
  }
}
