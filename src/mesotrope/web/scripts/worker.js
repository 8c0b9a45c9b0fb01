// Beside the worker of this device (device-worker.js): it keeps the pages of open jobs for when there is no network, and
// sends what waits when a page goes away.

import { job } from "./page.js";

// A page that stays open for so long is worked on: then the other pages of its job are kept too.
const SETTLED_MS = 4000;

function settleIn() {
  const isKept = document.body.dataset.keptAt;
  if (isKept) import("./kept.js");
  if (!("serviceWorker" in navigator)) return;
  navigator.serviceWorker.register("/device-worker.js", { scope: "/", type: "module" }).then(async () => {
    const { active } = await navigator.serviceWorker.ready;
    if (!navigator.serviceWorker.controller) active.postMessage("claim"); // it came while the page was loading
    if (isKept) return;
    const links = [...document.querySelectorAll(`a[href^="/jobs/${job}/"]`)].map((one) => one.getAttribute("href").split("#")[0]);
    const after = ["verdict", "card", "prove", "owner", "outcome"].map((page) => `/jobs/${job}/${page}`);
    const pages = job ? ["/", "/take-in", ...new Set([...links, ...after])] : ["/", "/take-in"];
    setTimeout(() => active.postMessage({ keep: pages }), SETTLED_MS);
  }).catch(() => undefined); // where a browser has none, the page works as before
}

// What was unfolded on a page that gave way to this one (kept.js) is unfolded here.
function unfold() {
  const { unfolded, ...state } = history.state ?? {};
  if (!unfolded) return;
  history.replaceState(state, "");
  for (const id of unfolded) document.getElementById(id)?.setAttribute("open", "");
}

unfold();
settleIn();
