// The torque wrench of the bench writes its reading into the row under the cursor, and the row is kept.

import { CHANNEL } from "./channel.js";

let last = "";
document.addEventListener("focusin", (event) => {
  if (event.target.matches("[data-reading]")) last = event.target.form.elements.fastener.value;
});
new BroadcastChannel(CHANNEL).addEventListener("message", (event) => {
  const rows = [...document.querySelectorAll(".torque-row")];
  const row = rows.find((one) => one.elements.fastener.value === last);
  if (!row) return;
  row.elements.read.value = String(event.data.line);
  row.elements.simulated.value = "yes";
  row.requestSubmit();
});
