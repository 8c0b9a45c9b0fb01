// The pages that are kept on this device, as a page and the worker both see them.

export const PAGES = "pages";

// The headers of an answer whose text is kept unpacked.
export function unpackedHeaders(answer) {
  const headers = new Headers(answer.headers);
  for (const name of ["content-encoding", "content-length"]) headers.delete(name);
  return headers;
}

// Keeps an answer that is the page of its address, marked with when it came by the clock of this device, which alone says
// how old it is here. kept : the pages, opened before this one was asked for: what somebody's signing out throws away
// meanwhile does not begin anew with it.
export async function keepPage(kept, address, answer, marks = {}) {
  if (!answer.ok || answer.redirected) return;
  const headers = unpackedHeaders(answer);
  for (const [name, value] of Object.entries({ ...marks, "x-came-at": Date.now() })) headers.set(name, value);
  await kept.put(address, new Response(await answer.blob(), { headers }));
}

export const cameAt = (answer) => Number(answer.headers.get("x-came-at") ?? 0);
