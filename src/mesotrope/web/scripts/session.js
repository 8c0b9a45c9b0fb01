// Who is signed in, and the token that every change carries. A session that has ended is opened again in place, so that
// the page and what waits on it stay.

import { who } from "./page.js";
import { t } from "./words.js";

let current = JSON.parse(document.body.getAttribute("hx-headers") ?? "{}")["X-Change-Token"] ?? "";

export const token = () => current;

function take(fresh) {
  current = fresh;
  document.body.setAttribute("hx-headers", JSON.stringify({ "X-Change-Token": current }));
  for (const field of document.querySelectorAll("input[name=change_token]")) field.value = fresh;
}

// Asks the server whose session this is: "same", "renewed" (with another token), "another" person's, "ended" or "away".
export async function renew() {
  let answer;
  try {
    answer = await fetch("/session", { signal: AbortSignal.timeout(10000) });
  } catch {
    return "away";
  }
  if (answer.status === 401) return "ended";
  if (!answer.ok) return "away";
  const session = await answer.json();
  if (String(session.person) !== who) return "another";
  if (session.token === current) return "same";
  take(session.token);
  return "renewed";
}

let dialog;

// Shows the door over the page; `then` is called once the same person is in again.
export async function signInHere(then) {
  if (dialog?.open) return;
  dialog?.remove();
  dialog = document.createElement("dialog");
  dialog.className = "sign-in-here";
  dialog.setAttribute("aria-label", t("Sign in again"));
  document.body.append(dialog);
  if (!(await open("/sign-in"))) return;
  dialog.showModal();
  dialog.addEventListener("submit", async (event) => {
    event.preventDefault();
    const form = event.target;
    const body = new URLSearchParams(new FormData(form));
    if (!(await open(form.action, { method: "POST", body }))) return;
    const state = await renew();
    if (state === "another") return location.reload(); // what waits stays for who made it
    if (state === "ended" || state === "away") return;
    dialog.close();
    then();
  });
}

// Puts the door's own page, or what it answered, into the dialog.
async function open(address, more) {
  try {
    const answer = await fetch(address, { ...more, signal: AbortSignal.timeout(20000) });
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    const sheet = page.querySelector(".sign-in-sheet");
    if (sheet) {
      const words = document.createElement("p");
      words.className = "notice";
      words.textContent = t("You were signed out. Sign in again and go on: nothing on this page is lost.");
      dialog.replaceChildren(words, sheet);
    }
    return true;
  } catch {
    return false;
  }
}
