// What a thing that waits is sent as: the page and this device's worker send the same.

const entryBody = (entry) =>
  new URLSearchParams({
    corner: entry.corner, path: entry.path, value: entry.value, confirmed: entry.confirmed, seen_entry: entry.seen,
    stage: entry.stage, axle: entry.axle, wear: entry.wear, simulated: entry.simulated ?? "",
  });

function actBody(act) {
  const files = act.fields.some(([, value]) => typeof value !== "string");
  const all = files ? new FormData() : new URLSearchParams();
  for (const [name, value] of act.fields) all.append(name, value);
  return all;
}

// The address and the request of an entry or an act, under a session's token.
export function requestOf(item, token) {
  const headers = { "X-Change-Token": token, "HX-Request": "true", "Idempotency-Key": item.key };
  if (item.kind !== "act") return [`/jobs/${item.job}/findings`, { method: "POST", headers, body: entryBody(item) }];
  headers["HX-Target"] = item.target.replace("#", "");
  return [item.address, { method: "POST", headers, body: actBody(item) }];
}
