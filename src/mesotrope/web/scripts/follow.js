// What follows an entry: reasons, next tests and figures, as they are now.

import { nothingWaits } from "./queue.js";
import { job, refresh, view } from "./page.js";

let later;
let asking;

// Several entries at once ask only once; an answer that a newer entry has overtaken is not waited for.
export function bringUpToDate(soon_ms = 0) {
  clearTimeout(later);
  asking?.abort();
  later = setTimeout(async () => {
    if (!nothingWaits()) return; // the answer to the last of one's own entries asks again
    asking = new AbortController();
    const { stage, axle, wear } = view();
    try {
      const address = `/jobs/${job}/${stage}/refresh?axle=${axle}&wear=${wear}`;
      const answer = await fetch(address, { headers: { "HX-Request": "true" }, signal: asking.signal });
      const html = await answer.text();
      if (answer.ok && nothingWaits()) refresh(html);
    } catch {
      // overtaken; or the network is away, and the stream asks again when it is back
    }
  }, soon_ms);
}
