// A page that was taken from this device says of when it is, and gives way to the one of now as soon as the server
// answers again: at once where nothing is under way on it, else once that is done.

import { FIELDS, isTyped, placeOf, valueOf } from "./page.js";
import { keepPage, PAGES } from "./pages.js";
import { nothingWaits } from "./queue.js";
import { t } from "./words.js";

const { keptAt } = document.body.dataset;

// How often the server is asked again.
const ASKS_MS = 3000;

function isUnderWay(field) {
  const place = placeOf(field);
  if (place.dataset.kept !== undefined) return valueOf(place) !== place.dataset.kept;
  return isTyped(field);
}

// Where the cursor is, as the page that comes finds it again: what is typed next belongs there.
function cursor() {
  const at = document.activeElement;
  if (!at?.matches(FIELDS) || at.autofocus) return "";
  return placeOf(at).dataset.id;
}

const isIdle = () => nothingWaits() && !document.querySelector("dialog[open]") && cursor() !== undefined
  && ![...document.querySelectorAll(`main :is(${FIELDS})`)].some(isUnderWay);

// The page of now, put where this one came from and marked, so that the worker of this device shows it as what it is
// where the network is too slow for it to come once more.
async function fetchAnew() {
  const kept = await caches.open(PAGES);
  const answer = await fetch(location.href).catch(() => null);
  if (!answer || answer.status >= 500) return false;
  await keepPage(kept, location.href, answer, { "x-instead": "yes" });
  return true;
}

const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const online = () => new Promise((done) => window.addEventListener("online", done, { once: true }));

async function giveWay() {
  let leaves = false; // for another page: that one is not to be called off
  window.addEventListener("beforeunload", () => {
    leaves = true;
  });
  do await Promise.race([pause(ASKS_MS), online()]);
  while (!(await fetchAnew().catch(() => false)));
  if (!isIdle()) {
    more.remove();
    words.textContent = t(
      "The network is back. This page, as it was at {time}, is shown anew once what you entered is kept.", { time: keptAt });
  }
  while (!isIdle()) await pause(500);
  if (leaves) return;
  const unfolded = [...document.querySelectorAll("main details[open][id]")].map((one) => one.id);
  history.replaceState({ ...history.state, unfolded }, "", cursor() ? `#${cursor()}` : undefined);
  location.reload();
}

function line(name, text) {
  const made = document.createElement("p");
  made.className = name;
  made.textContent = text;
  document.querySelector("main").before(made);
  return made;
}

const words = line("offline-notice", t("No network: this page is as it was at {time}.", { time: keptAt }));
words.setAttribute("role", "status");
const more = line("offline-more", t("What you enter is kept on this device and sent later."));
giveWay();
