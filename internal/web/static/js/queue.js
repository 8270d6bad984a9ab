// One decision after the other: what is pressed while one is under way waits for it, and is
// sent with the base that the new sheet has. Decisions of another window still conflict.

import { formKey, sending } from "./place.js";

let under = 0;
const waiting = [];

const decides = (form) => form?.method === "post" && form.closest("#page") && form.querySelector('input[name="base"]');

document.addEventListener("submit", (e) => {
  if (!under || !decides(e.target)) return;
  e.preventDefault();
  e.stopImmediatePropagation();
  const data = new FormData(e.target, e.submitter);
  waiting.push({ url: e.submitter?.getAttribute("formaction") || e.target.getAttribute("action"), data,
    form: formKey(e.target) });
}, true);

document.addEventListener("htmx:beforeRequest", (e) => { if (e.detail.target?.id === "page") under++; });

function next() {
  under = Math.max(0, under - 1);
  const d = waiting.shift();
  if (!d) return;
  const base = document.querySelector('#page input[name="base"]')?.value;
  if (base !== undefined) d.data.set("base", base);
  const values = {};
  for (const k of new Set(d.data.keys())) { const all = d.data.getAll(k); values[k] = all.length > 1 ? all : all[0]; }
  sending(d.form);
  window.htmx.ajax("POST", d.url, { source: document.querySelector("#worksheet") ?? document.body, target: "#page",
    select: "#page",
    swap: "outerHTML show:none", values });
}
// A sheet that came is settled before the next is asked for; one that did not come ends it.
document.addEventListener("htmx:afterSettle", (e) => { if (e.detail.target?.id === "page") next(); });
for (const kind of ["htmx:sendError", "htmx:sendAbort", "htmx:timeout"]) {
  document.addEventListener(kind, (e) => { if (e.detail.target?.id === "page") { waiting.length = 0; under = 0; } });
}

// What a page came with to say is said once it is there to be heard.
document.addEventListener("DOMContentLoaded", () => setTimeout(() => {
  const said = document.querySelector("[data-say] p");
  if (said) document.querySelector("#say").textContent = said.textContent;
}, 200));

// What was done is said once the sheet shows it.
document.addEventListener("htmx:afterSettle", (e) => {
  if (e.detail.target?.id !== "page" || e.detail.requestConfig?.verb !== "post") return;
  const said = document.querySelector("#page .trouble p") ?? document.querySelector("#page [data-done]") ??
    document.querySelector("#page .foot span");
  const say = document.querySelector("#say");
  if (said && say) say.textContent = said.textContent.trim();
});
