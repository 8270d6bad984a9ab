// What runs, on every page: a strip that says for whom, how far and how long still, with a button to stop it; the tab's
// title says it too, and the browser's own notice when it is done and one is elsewhere, where that was allowed.

const title = document.title;
let known = new Map(), timer;

const box = () => {
  let el = document.querySelector("#jobs");
  if (el) return el;
  el = document.createElement("aside");
  el.id = "jobs";
  el.setAttribute("aria-label", "What runs");
  document.body.append(el);
  return el;
};

// press is a button of a job's row that sends something and looks again.
function press(name, job, to) {
  const el = document.createElement("button");
  Object.assign(el, { type: "button", className: "btn btn-ghost btn-small", textContent: name });
  el.setAttribute("aria-label", `${name}: ${job.title}`);
  el.addEventListener("click", async () => {
    el.disabled = true;
    const res = await fetch(`/jobs/${job.id}/${to}`, { method: "POST",
      headers: { "Content-Type": "application/x-www-form-urlencoded" } });
    if (res.ok && to === "again") known.set((await res.json()).id, false);
    look();
  });
  return el;
}

function row(job) {
  const el = document.createElement("div");
  el.className = "strip-job" + (job.failed ? " failed" : "");
  const said = document.createElement("span");
  said.textContent = job.title + (job.person ? `, for ${job.person}` : "");
  const step = document.createElement("span");
  step.className = "dim-text";
  step.textContent = job.stopped ? "stopped" : job.failed ? "broke off" : job.done ? "done"
    : job.waiting ? "waits for its turn" : job.step + (job.left ? `, ${job.left} left` : "");
  el.append(said, step);
  if (!job.done) {
    const bar = document.createElement("progress");
    Object.assign(bar, { max: 100, value: job.percent });
    el.append(bar, press("Stop", job, "cancel"));
  } else if (job.repeats) {
    el.append(press("Begin again", job, "again"));
  }
  return el;
}

// waiting says how many more wait than are listed.
function waiting(n) {
  const el = document.createElement("p");
  el.className = "strip-job dim-text";
  el.textContent = `and ${n} more that wait`;
  return el;
}

// told says that a job is done, where one does not look at the page.
function told(job) {
  if (document.hidden && globalThis.Notification?.permission === "granted") {
    new Notification(job.failed ? "Broke off" : "Done", { body: job.title, tag: job.id });
  }
}

async function look() {
  clearTimeout(timer);
  let strip;
  try {
    const res = await fetch("/jobs", { headers: { Accept: "application/json" } });
    if (!res.ok || !res.headers.get("Content-Type")?.includes("json")) return; // signed out
    strip = await res.json();
  } catch {
    timer = setTimeout(look, 30000);
    return;
  }
  // What the page shows itself is not shown twice.
  const list = strip.jobs.filter((j) => j.done ||
    !document.querySelector(`[hx-get$="/${j.id}"], [hx-post^="/jobs/${j.id}/"]`));
  // What is over before one has seen it begin is no news, and neither is what the page itself shows.
  const shown = list.filter((j) => !j.done || j.repeats || known.has(j.id));
  for (const j of list) if (j.done && known.get(j.id) === false) told(j);
  known = new Map(list.filter((j) => !j.done || known.has(j.id)).map((j) => [j.id, j.done ?? false]));
  const held = document.activeElement?.closest("#jobs") && document.activeElement.getAttribute("aria-label");
  box().replaceChildren(...shown.map(row), ...(strip.more ? [waiting(strip.more)] : []));
  if (held) [...box().querySelectorAll("button")].find((b) => b.getAttribute("aria-label") === held)?.focus();
  const done = shown.filter((j) => j.done && known.has(j.id)).length;
  document.title = strip.running ? `${strip.percent} % · ${title}` : done ? `✓ ${title}` : title;
  timer = setTimeout(look, strip.running ? 1000 : done ? 4000 : 15000);
}

document.addEventListener("submit", () => {
  setTimeout(look, 700);
  // The first thing that is sent is when to ask whether one may say that it is done.
  if (globalThis.Notification?.permission === "default" && document.querySelector("#marked:not([hidden])")) {
    Notification.requestPermission();
  }
});
document.addEventListener("htmx:afterRequest", (e) => {
  if (e.detail.requestConfig?.verb === "post") setTimeout(look, 400);
});
look();
