// Readings of the simulated instruments arrive from their own window, and are typed into the field under the cursor
// as a real instrument with a keyboard wedge would type them: the reading, then Enter.

import { CHANNEL } from "./channel.js";
import { go } from "./entry.js";
import { keep } from "./keep.js";
import { say } from "./page.js";
import { t } from "./words.js";

// A reading of a simulated instrument says so where it stands.
function mark(field) {
  const heading = field.closest(".block")?.querySelector(".block-heading");
  if (!heading || heading.querySelector(".simulated")) return;
  heading.append(Object.assign(document.createElement("span"), { className: "simulated", textContent: t("simulated") }));
}

export function wedge() {
  if (!document.getElementById("entries") || !("BroadcastChannel" in window)) return;
  let last = document.activeElement.matches("input[data-entry]") ? document.activeElement : null;
  document.addEventListener("focusin", (event) => {
    if (event.target.matches("input[data-entry]")) last = event.target;
  });
  new BroadcastChannel(CHANNEL).addEventListener("message", (event) => {
    if (!last?.isConnected) return say(t("a reading came in: put the cursor in a field first"));
    last.value = String(event.data.line);
    keep(last, { simulated: true });
    mark(last);
    go(last, 1); // a page in the background hears of no focus: what comes next is remembered here
    if (document.activeElement.matches("input[data-entry]")) last = document.activeElement;
  });
}
