// The pages that are kept on this device, as a page and the worker both see them.

export const PAGES = "pages";

// The headers of an answer whose text is kept unpacked.
export function unpackedHeaders(answer) {
  const headers = new Headers(answer.headers);
  for (const name of ["content-encoding", "content-length"]) headers.delete(name);
  return headers;
}

// A page as it is kept: marked with when it came by the clock of this device, which alone says how old it is here.
export async function asItCame(answer, marks = {}) {
  const headers = unpackedHeaders(answer);
  for (const [name, value] of Object.entries({ ...marks, "x-came-at": Date.now() })) headers.set(name, value);
  return new Response(await answer.blob(), { headers });
}

export const cameAt = (answer) => Number(answer.headers.get("x-came-at") ?? 0);
