// The pages that are kept on this device, as a page and the worker both see them.

export const PAGES = "pages";

// The headers of an answer whose text is kept unpacked.
export function unpackedHeaders(answer) {
  const headers = new Headers(answer.headers);
  for (const name of ["content-encoding", "content-length"]) headers.delete(name);
  return headers;
}
