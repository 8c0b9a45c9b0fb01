// Keeping entries: each goes to this device first, then to the server, one after the other, under a key of its own,
// so that it is recorded once however often it is sent, and none is lost with the network or the page.

import { forget, remember, remembered } from "./device.js";
import { job, messageOf, placeById, refresh, say, show, stands, token, valueOf, view, who } from "./page.js";

const waiting = [];
let sending = false;
let retry;

const newKey = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

const held = (why) => {
  const count = waiting.length === 1 ? "1 entry" : `${waiting.length} entries`;
  say(`${count} kept on this device: ${why}`);
};

export const nothingWaits = () => waiting.length === 0;

// Keeps what stands at a place, unless it is what was sent last.
export function keep(place, { confirmed = false, seen } = {}) {
  const value = valueOf(place);
  if (value === (place.dataset.sent ?? place.dataset.kept) && !confirmed && seen === undefined) return;
  place.dataset.sent = value;
  const entry = {
    key: newKey(), at: Date.now() + waiting.length / 1000, who, job, field: place.dataset.id,
    corner: place.dataset.corner, path: place.dataset.path, value, confirmed: confirmed ? "yes" : "",
    seen: seen ?? place.dataset.seen ?? "0", ...view(),
  };
  waiting.push(entry);
  say("saving");
  remember(entry);
  drain();
}

const body = (entry) =>
  new URLSearchParams({
    corner: entry.corner, path: entry.path, value: entry.value, confirmed: entry.confirmed, seen_entry: entry.seen,
    stage: entry.stage, axle: entry.axle, wear: entry.wear,
  });

const post = (address, key, parameters, more = {}) =>
  fetch(address, {
    method: "POST",
    headers: { ...token(), "HX-Request": "true", "Idempotency-Key": key },
    body: parameters,
    ...more,
  });

async function drain() {
  if (sending) return;
  sending = true;
  clearTimeout(retry);
  while (waiting.length) {
    const entry = waiting[0];
    let answer, html;
    try {
      answer = await post(`/jobs/${entry.job}/findings`, entry.key, body(entry), { signal: AbortSignal.timeout(10000) });
      html = await answer.text();
    } catch {
      answer = null;
    }
    if (!answer || answer.status >= 500) {
      held(answer ? "will send when the server works again" : "will send when the network is back");
      retry = setTimeout(drain, 2000);
      break;
    }
    if (answer.status === 401 || answer.status === 403) {
      held("sign in again to send");
      break;
    }
    waiting.shift();
    forget(entry.key);
    settle(entry, answer, html);
  }
  sending = false;
}

function settle(entry, answer, html) {
  const place = entry.job === job && placeById(entry.field);
  const refused = answer.status >= 400;
  if (place) {
    const message = messageOf(place);
    if (message) message.innerHTML = refused ? html : "";
    place.toggleAttribute("aria-invalid", refused);
    if (!refused) {
      const written = answer.headers.get("X-Shown");
      const again = waiting.some((other) => other.field === entry.field);
      const untouched = !again && valueOf(place) === entry.value;
      stands(place, entry.value, answer.headers.get("X-Entry"));
      if (untouched) {
        delete place.dataset.sent;
        if (place !== document.activeElement && written && !place.matches("[data-entry-group]")) {
          show(place, written);
          stands(place, written);
        }
      }
    }
  }
  if (refused) {
    say(answer.status === 409 ? "two people entered this: choose which stands" : "not saved: see the message at the field");
  } else if (entry.job === job) {
    refresh(html);
    say(waiting.length ? "saving" : `saved ${new Date().toLocaleTimeString()}`);
  }
}

// Takes back the last entry: one that still waits here, else the last that this person made in this job.
export async function undo() {
  const last = waiting[waiting.length - 1];
  if (last && !(sending && waiting.length === 1)) {
    waiting.pop();
    forget(last.key);
    const place = placeById(last.field);
    if (place) {
      show(place, place.dataset.kept ?? "");
      delete place.dataset.sent;
    }
    say("taken back");
    return;
  }
  try {
    const answer = await post(`/jobs/${job}/undo`, newKey(), new URLSearchParams(view()));
    if (answer.status === 204) return say("nothing left to undo");
    const html = await answer.text();
    if (!answer.ok) return say("not undone: load the page again");
    const place = placeById(answer.headers.get("X-Field"));
    if (place) {
      const written = answer.headers.get("X-Shown") ?? "";
      show(place, written);
      stands(place, written, answer.headers.get("X-Entry"));
      delete place.dataset.sent;
      place.scrollIntoView({ block: "nearest" });
    }
    refresh(html);
    say("taken back");
  } catch {
    say("the network is away: undo again when it is back");
  }
}

// What waited from before: shown in its field again, and sent.
export async function resume() {
  if (!job) return;
  const before = (await remembered()).filter((entry) => entry.who === who);
  const known = new Set(waiting.map((entry) => entry.key));
  const older = before.filter((entry) => !known.has(entry.key));
  waiting.unshift(...older);
  for (const entry of older) {
    const place = entry.job === job && placeById(entry.field);
    if (place) {
      show(place, entry.value);
      place.dataset.sent = entry.value;
    }
  }
  if (waiting.length) drain();
}

window.addEventListener("online", drain);

// The page goes away with an entry still waiting: it goes along under its own key. Several would overtake each other;
// they stay on the device, and the next page of any job sends them in order.
window.addEventListener("pagehide", () => {
  if (waiting.length !== 1) return;
  const [entry] = waiting;
  post(`/jobs/${entry.job}/findings`, entry.key, body(entry), { keepalive: true }).catch(() => {});
});
