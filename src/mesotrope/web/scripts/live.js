// What others enter in this job appears here, without moving the cursor.

import { bringUpToDate } from "./follow.js";
import { job, main, placeById, say, show, stands, valueOf } from "./page.js";
import { t } from "./words.js";

// How long a burst of others' entries is waited for.
const BURST_MS = 60;

function take(entry) {
  const place = placeById(entry.field);
  if (place && Number(place.dataset.seen ?? 0) >= entry.entry) return null;
  if (!place) return entry;
  const touched = place.dataset.sent !== undefined || valueOf(place) !== (place.dataset.kept ?? "");
  if (touched) return entry; // what is being typed here is left alone; keeping it will ask which stands
  show(place, entry.shown);
  stands(place, entry.shown, String(entry.entry));
  place.classList.add("from-another");
  setTimeout(() => place.classList.remove("from-another"), 4000);
  return entry;
}

export function listen() {
  if (!main || !main.dataset.last) return;
  let seen = Number(main.dataset.last);
  let stream;
  const open = () => {
    stream = new EventSource(`/jobs/${job}/events?after=${seen}`);
    stream.onmessage = (event) => {
      seen = Number(event.lastEventId) || seen;
      const fresh = JSON.parse(event.data).map(take).filter(Boolean);
      if (!fresh.length) return;
      bringUpToDate(BURST_MS);
      const last = fresh[fresh.length - 1];
      const told = `${last.by}: ${last.field.replaceAll("-", " ")} ${last.shown || t("taken back")}`;
      if (!last.mine) setTimeout(() => say(told), 400);
    };
    stream.addEventListener("signed-out", () => {
      stream.close();
      say(t("signed out: sign in again to go on; what you type is kept on this device"));
    });
    stream.onerror = () => {
      stream.close();
      setTimeout(open, 1000);
    };
  };
  open();
  window.addEventListener("pagehide", () => stream.close());
}
