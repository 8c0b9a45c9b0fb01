// Everything that moves on a page, started once: each part sees to what there is of it on the page.

import { actEarly } from "./acts.js";
import "./bench.js";
import { keepEarly, start } from "./entry.js";
import "./find.js";
import "./keep.js";
import { listen } from "./live.js";
import { resume } from "./queue.js";
import "./sign.js";
import { stopwatch } from "./stopwatch.js";
import "./torque.js";
import { wedge } from "./wedge.js";
import "./worker.js";

start();
stopwatch();
wedge();
listen();
resume().then(() => {
  const entered = performance.getEntriesByType("navigation")[0].type === "navigate";
  keepEarly(entered);
  if (entered) actEarly();
});

// A page that a browser takes out of its own memory, going back, is of when it was left.
window.addEventListener("pageshow", (event) => event.persisted && location.reload());
