// Keeping entries: what stands at a place of the job page goes into the queue, and the answer back to its place.

import { forget } from "./device.js";
import { bringUpToDate } from "./follow.js";
import { job, messageOf, placeById, refresh, say, show, stands, valueOf, view, who } from "./page.js";
import { add, isBeingSent, last, newKey, nothingWaits, register, takeBack, waits } from "./queue.js";
import { token } from "./session.js";
import { savedNow, t } from "./words.js";

// Keeps what stands at a place, unless it is what was sent last.
export function keep(place, { confirmed = false, seen, simulated = false } = {}) {
  const value = valueOf(place);
  if (value === (place.dataset.sent ?? place.dataset.kept) && !confirmed && seen === undefined) return;
  place.dataset.sent = value;
  answered(place);
  add({
    kind: "entry", key: newKey(), who, job, field: place.dataset.id, corner: place.dataset.corner,
    path: place.dataset.path, value, confirmed: confirmed ? "yes" : "", seen: seen ?? place.dataset.seen ?? "0",
    simulated: simulated ? "yes" : "", ...view(),
  });
}

// What clashed at a place waits on the device until it is answered: by a choice, or by another entry there.
export function answered(place) {
  if (place.dataset.clash) forget(place.dataset.clash);
  delete place.dataset.clash;
}

register("entry", {
  settle,
  show(entry) {
    const place = entry.job === job && placeById(entry.field);
    if (!place) return;
    show(place, entry.value);
    place.dataset.sent = entry.value;
  },
});

function settle(entry, answer, html) {
  const place = entry.job === job && placeById(entry.field);
  const refused = answer.status >= 400;
  if (place) {
    const message = messageOf(place);
    if (message) message.innerHTML = refused ? html : "";
    place.toggleAttribute("aria-invalid", refused);
    if (answer.status === 409) place.dataset.clash = entry.key;
    if (!refused) {
      const written = answer.headers.get("X-Shown");
      const again = waits((other) => other.field === entry.field && other.kind === "entry");
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
    say(answer.status === 409 ? t("two people entered this: choose which stands") : t("not saved: see the message at the field"));
  } else if (entry.job === job && document.getElementById("entries")) {
    refresh(html);
    bringUpToDate();
    say(nothingWaits() ? savedNow() : t("saving"));
  } else if (nothingWaits()) {
    say(savedNow());
  }
}

// Takes back the last entry: one that still waits here, else the last that this person made in this job.
export async function undo() {
  const entry = last();
  if (entry?.kind === "entry" && !isBeingSent(entry)) {
    takeBack(entry);
    const place = placeById(entry.field);
    if (place) {
      show(place, place.dataset.kept ?? "");
      delete place.dataset.sent;
    }
    say(t("taken back: {field}", { field: entry.field.replaceAll("-", " ") }));
    return;
  }
  try {
    const headers = { "X-Change-Token": token(), "HX-Request": "true", "Idempotency-Key": newKey() };
    const answer = await fetch(`/jobs/${job}/undo`, { method: "POST", headers, body: new URLSearchParams(view()) });
    if (answer.status === 204) return say(t("nothing left to undo"));
    const html = await answer.text();
    if (!answer.ok) return say(t("not undone: load the page again"));
    const place = placeById(answer.headers.get("X-Field"));
    if (place) {
      const written = answer.headers.get("X-Shown") ?? "";
      show(place, written);
      stands(place, written, answer.headers.get("X-Entry"));
      delete place.dataset.sent;
      place.scrollIntoView({ block: "nearest" });
    }
    refresh(html);
    bringUpToDate();
    say(t("taken back: {field}", { field: (answer.headers.get("X-Field") ?? "").replaceAll("-", " ") }));
  } catch {
    say(t("the network is away: undo again when it is back"));
  }
}
