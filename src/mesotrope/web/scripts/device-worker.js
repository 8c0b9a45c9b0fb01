// This device's worker. It keeps the shell and the pages of open jobs for when there is no network, and says how old
// they are; and it sends what waits when a page goes away, or when the network comes back. No page is taken from it while
// the server answers, and what a page needs beside itself stands under an address that names its release: an update of the
// application is never mixed with what was kept.

import { forget, remembered } from "./device.js";
import { cameAt, keepPage, PAGES, unpackedHeaders } from "./pages.js";
import { requestOf } from "./sending.js";

// Where the scripts, styles and fonts of this release stand, and the name under which they are kept: the server puts the
// release in (web/assets.py).
const RELEASE = "/static/";
const OF_A_RELEASE = /^\/static\/[0-9a-f]{16}\//;

const KEPT = /^\/(take-in)?$|^\/jobs\/\d+\/(take-in|pedal|lift|look|isolate|strip|verdict|card|prove|owner|outcome)$/;

// A page that has not come after this long is taken from the device, if it is there; one that the page before it fetched
// just now (kept.js) is shown as what it is; one kept is fetched anew after this, and shown no more after a day.
const WAITS_MS = 4000;
const JUST_NOW_MS = 15 * 1000;
const FRESH_MS = 10 * 60 * 1000;
const OLDEST_MS = 24 * 60 * 60 * 1000;

const ageOf = (answer) => Date.now() - cameAt(answer);
const cameInstead = (answer) => answer.headers.has("x-instead") && ageOf(answer) < JUST_NOW_MS;

self.addEventListener("install", (event) => event.waitUntil(fetchShell().then(() => self.skipWaiting())));
self.addEventListener("activate", (event) => event.waitUntil(forgetOlder().then(() => self.clients.claim())));

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (origin !== self.location.origin) return;
  if (request.method === "POST") {
    if (pathname.startsWith("/sign-")) event.waitUntil(caches.delete(PAGES)); // one person's pages are not the next one's
    return;
  }
  if (request.method !== "GET") return;
  if (OF_A_RELEASE.test(pathname)) event.respondWith(shell(request, pathname));
  else if (request.mode === "navigate") event.respondWith(page(request, KEPT.test(pathname)));
});

// Scripts, styles and fonts, whichever page needs them.
async function fetchShell() {
  const kept = await caches.open(RELEASE);
  await kept.addAll(await (await fetch("/shell.json")).json());
}

async function forgetOlder() {
  for (const name of await caches.keys()) if (![RELEASE, PAGES].includes(name)) await caches.delete(name);
}

// A page of an older release that is still open, or kept, gets what took the place of its own.
async function shell(request, pathname) {
  const here = await caches.match(pathname);
  if (here) return here;
  try {
    return await fetch(request);
  } catch {
    return (await caches.match(pathname.replace(OF_A_RELEASE, RELEASE))) ?? Response.error();
  }
}

async function page(request, keeps) {
  const kept = await caches.open(PAGES);
  const found = (await kept.match(request.url)) ?? (await kept.match(request.url, { ignoreSearch: true }));
  const before = found && ageOf(found) < OLDEST_MS ? found : undefined;
  const coming = fetch(request).then((answer) => {
    if (keeps) keepPage(kept, request.url, answer.clone());
    return answer;
  });
  try {
    return await (before ? Promise.race([coming, late()]) : coming);
  } catch (reason) {
    coming.catch(() => undefined);
    if (!before) return notKept();
    return reason === LATE && cameInstead(before) ? before : asKept(before);
  }
}

const LATE = new Error("late");
const late = () => new Promise((_, reject) => setTimeout(() => reject(LATE), WAITS_MS));

// A kept page says that it is one, and of when.
async function asKept(answer) {
  const at = new Date(cameAt(answer)).toTimeString().slice(0, 5);
  const text = (await answer.text()).replace("<body", `<body data-kept-at="${at}"`);
  return new Response(text, { headers: unpackedHeaders(answer) });
}

const notKept = () =>
  new Response(
    '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
    + `<title>No network · Mesotrope</title><link rel="stylesheet" href="${RELEASE}built/app.css">`
    + '<body><main class="mx-auto max-w-3xl px-6 py-10"><h1 class="heading-1">No network</h1>'
    + "<p class=\"mt-3\">This page is not kept on this device. The pages of jobs that were open here are: "
    + '<a class="text-link" href="/">Today</a> leads to them. What waits to be sent is kept.</p></main></body></html>',
    { status: 503, headers: { "content-type": "text/html; charset=utf-8" } },
  );

self.addEventListener("message", (event) => {
  if (event.data === "send") event.waitUntil(sendAll());
  else if (event.data === "claim") event.waitUntil(self.clients.claim());
  else if (event.data?.keep) event.waitUntil(keep(event.data.keep));
});

self.addEventListener("sync", (event) => event.waitUntil(sendAll()));

// The pages of a job that is open, one after the other, unless they were kept lately.
async function keep(addresses) {
  const kept = await caches.open(PAGES);
  for (const address of addresses) {
    const url = new URL(address, self.location.origin);
    if (!KEPT.test(url.pathname)) continue;
    const before = await kept.match(url.href);
    if (before && ageOf(before) < FRESH_MS) continue;
    try {
      await keepPage(kept, url.href, await fetch(url.href));
    } catch {
      return;
    }
  }
}

let sending = Promise.resolve();

// Sends what waits, in order, each under its own key; what is refused stays for a page to say so.
function sendAll() {
  sending = sending.then(async () => {
    const session = await fetch("/session");
    if (!session.ok) return;
    const { person, token } = await session.json();
    const sent = new Set();
    for (const item of await remembered()) {
      if (item.who !== String(person)) continue;
      const answer = await fetch(...requestOf(item, token));
      if (answer.status === 409) continue; // a clash is for a page to ask about
      if (!answer.ok) return;
      await forget(item.key);
      sent.add(item.page ?? "");
    }
    for (const client of await self.clients.matchAll()) {
      if (sent.has(new URL(client.url).pathname)) client.postMessage("sent");
    }
  }).catch(() => undefined);
  return sending;
}
