// Takes dropped and chosen files to the intake, and shows how far the sending is.

const form = () => document.querySelector("form.drop");

// On a sheet, files dropped are its next revision, or what is missing beside it.
const sheet = () => document.querySelector("#page[data-asset]")?.dataset.asset;
const takes = () => form() || sheet();

async function entries(items) {
  const out = [];
  const walk = async (entry, path) => {
    if (entry.isFile) {
      out.push({ file: await new Promise((ok, no) => entry.file(ok, no)), name: path + entry.name });
    } else if (entry.isDirectory) {
      const reader = entry.createReader();
      for (;;) {
        const batch = await new Promise((ok, no) => reader.readEntries(ok, no));
        if (!batch.length) break;
        for (const e of batch) await walk(e, path + entry.name + "/");
      }
    }
  };
  // The list is only good until the first pause, so the entries are taken first.
  const files = [...items].filter((i) => i.kind === "file").map((i) => i.getAsFile()).filter(Boolean);
  const flat = files.map((file) => ({ file, name: file.name }));
  const roots = [...items].map((i) => i.webkitGetAsEntry?.()).filter(Boolean);
  for (const r of roots) await walk(r, "");
  return out.length ? out : flat;
}

function send(files) {
  const f = form();
  const asset = f ? undefined : sheet();
  const box = document.querySelector("#intake");
  if (!(f || asset) || !box || !files.length) return;
  const total = files.reduce((n, x) => n + x.file.size, 0);
  const limit = Number(f?.dataset.limit);
  box.innerHTML = '<section class="job"><h2></h2><p></p><progress max="100" value="0"></progress></section>';
  const say = (title, text) => {
    box.querySelector("h2").textContent = title;
    box.querySelector("p").textContent = text;
  };
  if (limit && total > limit) {
    const [has, may] = [total, limit].map((n) => Math.round(n / 1e6));
    return say("Not sent",
      `These files have ${has} MB together, and ${may} MB are allowed in one upload. Send fewer at once.`);
  }
  say("Sending", files.length === 1 ? files[0].name : `${files.length} files`);
  const data = new FormData();
  for (const x of files) data.append("file", x.file, x.name);
  const xhr = new XMLHttpRequest();
  const to = new URL(f ? f.action : `/assets/${asset}/companions`, location.href);
  const target = document.querySelector("[name=first-target]:checked")?.value; // of a first kit
  if (f && target) to.searchParams.set("target", target);
  xhr.open("POST", to);
  xhr.upload.onprogress = (e) =>
    { if (e.lengthComputable) box.querySelector("progress").value = (100 * e.loaded) / e.total; };
  xhr.onerror = () => say("Not sent", "The connection broke off. Nothing came in; try again.");
  xhr.onload = () => {
    const doc = new DOMParser().parseFromString(xhr.responseText, "text/html");
    if (asset || f.dataset.go) { // the answer is a page of its own
      if (xhr.status < 400) { location.href = xhr.responseURL; return; }
      say("Not taken", doc.querySelector(".trouble p, .lead")?.textContent ||
        "Something broke off; the log has the details.");
      box.querySelector("progress").remove();
      return;
    }
    const job = doc.querySelector("section.job");
    if (!job) return say("Not taken in", doc.querySelector(".lead")?.textContent ||
      "Something broke off; the log has the details.");
    box.replaceChildren(job);
    window.htmx.process(box);
    ended(); // small files are in before the first answer
  };
  xhr.send(data);
}

document.addEventListener("change", (e) => {
  if (e.target.matches("form.drop input[type=file]")) {
    send([...e.target.files].map((file) => ({ file, name: file.webkitRelativePath || file.name })));
    e.target.value = "";
  }
});

const carriesFiles = (e) => [...(e.dataTransfer?.types || [])].includes("Files");
let depth = 0;
document.addEventListener("dragenter", (e) => {
  if (!carriesFiles(e) || !takes()) return;
  depth++;
  document.body.classList.add("dropping");
});
document.addEventListener("dragleave", (e) => {
  if (carriesFiles(e) && takes() && --depth <= 0) document.body.classList.remove("dropping");
});
document.addEventListener("dragover", (e) => { if (carriesFiles(e)) e.preventDefault(); });
document.addEventListener("drop", async (e) => {
  if (!carriesFiles(e)) return;
  e.preventDefault();
  depth = 0;
  document.body.classList.remove("dropping");
  if (takes()) send(await entries(e.dataTransfer.items));
});

// When all came in, the kit shows it at once; what was refused stays to be read.
function ended() {
  const done = document.querySelector("[data-job-done]");
  if (!done || done.dataset.seen) return;
  done.dataset.seen = "1";
  const link = done.querySelector("[data-kit-link]");
  if (!link) return;
  const kit = link.getAttribute("href");
  if (!done.querySelector(".refused, .missing, .unread, .namesake") && done.querySelector(".came")) location.href = kit;
  else if (location.pathname === kit) refresh(kit);
}
document.addEventListener("htmx:afterSettle", ended);

// What a job brings in stands in the list while it goes on, unless somebody is at it there.
let step;
document.addEventListener("htmx:afterSettle", (e) => {
  const now = e.target.closest?.("#intake")?.querySelector("[data-step]")?.dataset.step;
  if (!now || now === step) return;
  const first = step === undefined;
  step = now;
  const at = document.activeElement?.closest("main > :not(#intake)");
  if (!first && !at && !scrollY && /^\/kits\/\d+$/.test(location.pathname)) refresh(location.pathname);
});

// refresh redraws line-up and table under the outcome.
async function refresh(kit) {
  const doc = new DOMParser().parseFromString(await (await fetch(kit)).text(), "text/html");
  const main = document.querySelector("main");
  const intake = document.querySelector("#intake");
  for (const el of [...main.children]) if (el !== intake) el.remove();
  for (const el of [...doc.querySelector("main").children]) if (el.id !== "intake") main.append(el);
}
